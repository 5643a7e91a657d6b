import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { describe, expect, it } from 'vitest'

const FOLDER = new URL('.', import.meta.url).pathname
/** ` * @example call(…) // what it gives`, both as they are written in code. */
const EXAMPLE = /^ \* @example (.+) \/\/ (.+)$/gm

/** Every example that stands beside a function of the core, by its file. */
const examples = readdirSync(FOLDER, { recursive: true, encoding: 'utf8' })
  .filter((file) => /(?<!\.test)\.ts$/.test(file))
  .flatMap((file) =>
    [...readFileSync(join(FOLDER, file), 'utf8').matchAll(EXAMPLE)].map(([, call = '', gives = '']) => ({
      file,
      call,
      gives,
    })),
  )

describe('an example', () => {
  it('is found, wherever one stands', () => expect(examples.length).toBeGreaterThan(20))

  it.each(examples)('$file: $call', async ({ file, call, gives }) => {
    const module = (await import(join(FOLDER, file))) as Record<string, unknown>
    const evaluated = (code: string) =>
      new Function(...Object.keys(module), `return (${code})`)(...Object.values(module))
    expect(evaluated(call)).toEqual(evaluated(gives))
  })
})
