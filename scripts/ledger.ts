import { parseArgs } from 'node:util'
import { isDay } from '../src/core/calendar/day.ts'
import { connect } from '../src/server/db/client.ts'
import { MODES } from '../src/server/db/schema/columns.ts'
import { journalOf } from '../src/server/ledger/plainText.ts'
import { readConfig } from '../src/server/platform/config.ts'

/**
 * `npm run --silent ledger -- --mode practice|live [--from 2026-01-01] [--to 2026-12-31]`: the ledger as a plain-text
 * journal on standard output. The days are the school's, both included. Bad options: a reason, and exit status 2.
 */

class BadOption extends Error {}

function readOptions() {
  let values: { mode?: string | undefined; from?: string | undefined; to?: string | undefined }
  try {
    const text = { type: 'string' } as const
    values = parseArgs({ options: { mode: text, from: text, to: text } }).values
  } catch (error) {
    throw new BadOption((error as Error).message)
  }
  const { mode, from, to } = values
  const known = MODES.find((name) => name === mode)
  if (!known) throw new BadOption('Say which ledger: --mode practice or --mode live.')
  for (const [name, day] of [
    ['from', from],
    ['to', to],
  ] as const) {
    if (day !== undefined && !isDay(day)) throw new BadOption(`--${name} is no date like 2026-11-26: ${day}`)
  }
  if (from && to && to < from) throw new BadOption('--to lies before --from.')
  return { mode: known, from, to }
}

try {
  const { mode, from, to } = readOptions()
  const { db, pool } = connect(readConfig().databaseUrl, 1)
  try {
    for await (const line of journalOf(db, mode, { from, to })) {
      if (!process.stdout.write(`${line}\n`)) await new Promise((resolve) => process.stdout.once('drain', resolve))
    }
  } finally {
    await pool.end()
  }
} catch (error) {
  if (error instanceof BadOption) {
    console.error(error.message)
    process.exitCode = 2
  } else if (isUnreachable(error)) {
    console.error('The database does not answer. Start the product first (./start).')
    process.exitCode = 1
  } else throw error
}

function isUnreachable(error: unknown): boolean {
  const { code, cause } = error as { code?: string; cause?: unknown }
  return code === 'ECONNREFUSED' || (cause !== undefined && isUnreachable(cause))
}
