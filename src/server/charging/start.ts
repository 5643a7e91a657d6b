import type { Transaction } from '../db/client.ts'
import { type Insert, insertAll, rowsOf } from '../db/insertAll.ts'
import { attempts } from '../db/schema/index.ts'
import { type JournalEvent, journalRows } from '../journal/journal.ts'
import type { Within } from '../platform/context.ts'
import { type Collects, nextAttemptKey, triesOf } from './attemptKey.ts'

export type Attempt = typeof attempts.$inferSelect

/** How long a call may be on its way before an absent key is closed. Longer than any gateway's time-out. */
export const CALL_SECONDS = 30

/** What an attempt is to collect, by which connection, and whose doing it is. */
export interface ChargeRequest
  extends Collects,
    Pick<Attempt, 'connectionId' | 'amount' | 'currency' | 'day' | 'madeBy'>,
    // What an attempt is charged to, whether what it saves is for upsells, and what it is to replace.
    Partial<Pick<Attempt, 'savedMethod' | 'expires' | 'forgetAt' | 'replacesId'>> {
  /** The last of an agreement's payments that it is for. */
  toN: number | null
}

/** An attempt to be started: what it is about, what it asks for, and what is written of it before. */
export interface Starting {
  about: JournalEvent['about']
  asked: ChargeRequest
  before?: JournalEvent[]
  /** Rows of its order that are stored together with it. */
  rows?: readonly Insert[]
  /** Its order is stored only now, so that nothing was tried before. */
  isFirst?: boolean
}

/** Starts one attempt; see {@link startAttempts}. */
export async function startAttempt(services: Within, starting: Starting): Promise<Attempt> {
  const [attempt] = await startAttempts(services, [starting])
  return attempt as Attempt
}

/**
 * Stores attempts with their keys, jobs that look them up, and the journal's rows, all before any gateway is asked; as
 * many statements for many as for one. The caller holds the orders' locks. Statements that do not need each other's
 * answers are sent together.
 * @returns the attempts in the order of what was asked.
 */
export async function startAttempts(services: Within, all: readonly Starting[]): Promise<Attempt[]> {
  if (all.length === 0) return []
  const { db: tx } = services
  const keys = await nextAttemptKeys(tx, all)
  const startedAt = services.now()
  const rows = all.map(
    ({ asked }, index): Attempt => ({
      ...NOTHING_YET,
      ...asked,
      id: crypto.randomUUID(),
      key: keys[index] as string,
      state: 'started',
      startedAt,
    }),
  )
  const events = all.flatMap(({ about, asked, before = [] }, index): JournalEvent[] => {
    const { amount, currency, fromN } = asked
    const data = { ...(fromN === null ? {} : { n: fromN }), amount, currency, key: keys[index] as string }
    return [...before, { about, what: 'attempt-started', data }]
  })
  const lookups = services.jobs.rows(
    'attempt-lookup',
    rows.map(({ id }) => ({ attemptId: id })),
    { afterSeconds: CALL_SECONDS + 5 },
  )
  await insertAll(
    tx,
    ...all.flatMap((one) => one.rows ?? []),
    rowsOf(attempts, rows),
    journalRows(startedAt, events),
    lookups,
  )
  return rows
}

/** What an attempt does not know before its gateway was asked. */
const NOTHING_YET = {
  parties: null,
  reference: null,
  reason: null,
  fee: null,
  method: null,
  confirmUrl: null,
  settledAt: null,
  savedMethod: null,
  expires: null,
  forgetAt: null,
  replacesId: null,
}

async function nextAttemptKeys(tx: Transaction, all: readonly Starting[]): Promise<string[]> {
  const orderIds = all.flatMap(({ asked, isFirst }) => (isFirst ? [] : [asked.orderId]))
  const before = orderIds.length === 0 ? [] : await triesOf(tx, orderIds)
  return all.map(({ asked }) => nextAttemptKey(asked, before))
}
