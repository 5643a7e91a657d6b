import { attempts } from '../db/schema/index.ts'
import { type Happening, recordAll } from '../journal/journal.ts'
import type { Within } from '../platform/context.ts'
import { type Collects, nextAttemptKey } from './attemptKey.ts'

export type Attempt = typeof attempts.$inferSelect

/** How long a call may be on its way before an absent key is closed. Longer than any gateway's time-out. */
export const CALL_SECONDS = 30

/** What an attempt is to collect, by which connection, and whose doing it is. */
export interface Asked extends Collects, Pick<Attempt, 'connectionId' | 'amount' | 'currency' | 'day' | 'madeBy'> {
  /** The last of an agreement's payments that it is for. */
  toN: number | null
  requestKey?: string
}

/**
 * Stores an attempt with its key, a job that looks it up, and the journal's row behind `before`, all before any gateway
 * is asked. The caller holds the order's lock. Statements that do not need each other's answers are sent together.
 */
export async function startAttempt(
  services: Within,
  about: Happening['about'],
  asked: Asked,
  before: Happening[] = [],
): Promise<Attempt> {
  const { db: tx } = services
  const id = crypto.randomUUID()
  const key = await nextAttemptKey(tx, asked)
  const { amount, currency, fromN } = asked
  const data = { ...(fromN === null ? {} : { n: fromN }), amount, currency, key }
  const at = services.now()
  const [[stored]] = await Promise.all([
    tx
      .insert(attempts)
      .values({ ...asked, id, key, state: 'started', startedAt: at })
      .returning(),
    services.jobs.send(tx, 'attempt-lookup', { attemptId: id }, { afterSeconds: CALL_SECONDS + 5 }),
    recordAll(tx, at, [...before, { about, what: 'attempt-started', data }]),
  ])
  if (!stored) throw new Error('The attempt was not stored.')
  return stored
}
