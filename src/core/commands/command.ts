import { createInterface } from 'node:readline'
import { text } from 'node:stream/consumers'
import { DocumentError } from '../document/reader.ts'

/**
 * The manners that `quote` and `rehearse` share (pricing rules, section 10): one JSON document in
 * and one out, or one a line with `--jsonl`; bad input answers `{"error": {"at", "why"}}`, with
 * exit status 2 where it stands alone.
 */
export async function runCommand(answer: (document: unknown) => unknown): Promise<void> {
  if (process.argv.includes('--jsonl')) {
    for await (const line of createInterface({ input: process.stdin, crlfDelay: Number.POSITIVE_INFINITY })) {
      if (!process.stdout.write(`${JSON.stringify(answerText(line, answer))}\n`)) {
        await new Promise((resolve) => process.stdout.once('drain', resolve))
      }
    }
    return
  }
  const result = answerText(await text(process.stdin), answer)
  process.stdout.write(`${JSON.stringify(result, null, 2)}\n`)
  if (typeof result === 'object' && result !== null && 'error' in result) process.exitCode = 2
}

/** Answers one document given as text; rule breaks become the error document. */
export function answerText(input: string, answer: (document: unknown) => unknown): unknown {
  let document: unknown
  try {
    document = JSON.parse(input)
  } catch {
    return { error: { at: '', why: 'is not JSON' } }
  }
  try {
    return answer(document)
  } catch (error) {
    if (error instanceof DocumentError) return { error: { at: error.at, why: error.why } }
    throw error
  }
}
