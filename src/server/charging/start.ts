import { attempts } from '../db/schema/index.ts'
import { type JournalEvent, recordAll } from '../journal/journal.ts'
import type { Within } from '../platform/context.ts'
import { type Collects, nextAttemptKeys } from './attemptKey.ts'

export type Attempt = typeof attempts.$inferSelect

/** How long a call may be on its way before an absent key is closed. Longer than any gateway's time-out. */
export const CALL_SECONDS = 30

/** What an attempt is to collect, by which connection, and whose doing it is. */
export interface Asked
  extends Collects,
    Pick<Attempt, 'connectionId' | 'amount' | 'currency' | 'day' | 'madeBy'>,
    // What a buyer's attempt is charged to, and whether what it saves is for upsells.
    Partial<Pick<Attempt, 'savedMethod' | 'expires' | 'forgetAt'>> {
  /** The last of an agreement's payments that it is for. */
  toN: number | null
  requestKey?: string
}

/** An attempt to be started: what it is about, what it asks for, and what is written of it before. */
export interface Starting {
  about: JournalEvent['about']
  asked: Asked
  before?: JournalEvent[]
}

/** Starts one attempt; see {@link startAttempts}. */
export async function startAttempt(
  services: Within,
  about: JournalEvent['about'],
  asked: Asked,
  before: JournalEvent[] = [],
): Promise<Attempt> {
  const [attempt] = await startAttempts(services, [{ about, asked, before }])
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
  const keys = await nextAttemptKeys(
    tx,
    all.map(({ asked }) => asked),
  )
  const startedAt = services.now()
  const rows = all.map(({ asked }, index) => ({
    ...asked,
    id: crypto.randomUUID(),
    key: keys[index] as string,
    state: 'started' as const,
    startedAt,
  }))
  const events = all.flatMap(({ about, asked, before = [] }, index): JournalEvent[] => {
    const { amount, currency, fromN } = asked
    const data = { ...(fromN === null ? {} : { n: fromN }), amount, currency, key: keys[index] as string }
    return [...before, { about, what: 'attempt-started', data }]
  })
  const [stored] = await Promise.all([
    tx.insert(attempts).values(rows).returning(),
    services.jobs.sendAll(
      tx,
      'attempt-lookup',
      rows.map(({ id }) => ({ attemptId: id })),
      { afterSeconds: CALL_SECONDS + 5 },
    ),
    recordAll(tx, startedAt, events),
  ])
  const byId = new Map(stored.map((attempt) => [attempt.id, attempt]))
  return rows.map(({ id }) => {
    const attempt = byId.get(id)
    if (!attempt) throw new Error('An attempt was not stored.')
    return attempt
  })
}
