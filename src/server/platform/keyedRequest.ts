import { and, eq, isNull, sql } from 'drizzle-orm'
import type { Database, Queryable } from '../db/client.ts'
import type { Mode } from '../db/schema/columns.ts'
import { keyedRequests } from '../db/schema/index.ts'
import { Problem } from '../http/problem.ts'
import { busy } from '../http/unavailable.ts'
import { inTransaction, type KeyedRequest, type Services, type Tools, type Within } from './context.ts'

/** What a request is known by. The same key with another fingerprint is another request, and an error. */
export interface RequestName {
  who: string
  mode: Mode
  key: string
  fingerprint: string
}

export interface StoredAnswer {
  status: number
  body: string
}

/** So long an answer is waited for before another may go on with its request; longer than a request may take. */
const BUSY_SECONDS = 40
/** How often the first is asked after: soon, then more seldom, in milliseconds. */
const POLL_MS = { first: 50, most: 500 }
/** So long a second request waits for the answer of the first. */
const WAIT_MS = 25_000
/** Keys are kept for so many days. */
export const KEYED_DAYS = 7

/**
 * Begins a request, or finds the answer that it had. One that is being answered is waited for; one whose process ended
 * is gone on with.
 * @throws Problem 422 where the key was used for something else, 503 where the first is not answered in time.
 */
export async function beginKeyed(db: Database, name: RequestName): Promise<KeyedRequest | StoredAnswer> {
  const { who, mode, key, fingerprint } = name
  const busyUntil = sql`now() + make_interval(secs => ${BUSY_SECONDS})`
  const [begun] = await db
    .insert(keyedRequests)
    .values({ who, mode, key, fingerprint, busyUntil, createdAt: sql`now()` })
    .onConflictDoNothing()
    .returning({ id: keyedRequests.id })
  if (begun) return { id: begun.id, result: null }
  const mine = and(eq(keyedRequests.who, who), eq(keyedRequests.mode, mode), eq(keyedRequests.key, key))
  const began = performance.now()
  for (let pause = POLL_MS.first; performance.now() - began < WAIT_MS; pause = Math.min(pause * 1.5, POLL_MS.most)) {
    const [row] = await db.select().from(keyedRequests).where(mine)
    // What was answered with a failure is forgotten, and is begun anew.
    if (!row) return beginKeyed(db, name)
    if (row.fingerprint !== fingerprint) throw usedOtherwise()
    if (row.status !== null) return { status: row.status, body: row.body ?? '' }
    const [taken] = await db
      .update(keyedRequests)
      .set({ busyUntil })
      .where(and(eq(keyedRequests.id, row.id), isNull(keyedRequests.status), sql`${keyedRequests.busyUntil} < now()`))
      .returning({ id: keyedRequests.id, result: keyedRequests.result })
    if (taken) return taken
    await new Promise((resolve) => setTimeout(resolve, pause))
  }
  throw busy()
}

function usedOtherwise(): Problem {
  return new Problem(
    422,
    'key-used',
    'This was sent before with other content, and its answer was lost. Check what was done before you send it again.',
  )
}

/** Keeps the answer of a request, for whoever sends it again. */
export async function keepAnswer(db: Database, { id }: KeyedRequest, { status, body }: StoredAnswer): Promise<void> {
  await db.update(keyedRequests).set({ status, body }).where(eq(keyedRequests.id, id))
}

/** Lets the same request be sent again: it failed. What it committed before that is kept, and is not done again. */
export async function releaseKeyed(db: Database, { id }: KeyedRequest): Promise<void> {
  const [done] = await db
    .update(keyedRequests)
    .set({ busyUntil: sql`now()` })
    .where(and(eq(keyedRequests.id, id), sql`${keyedRequests.result} is not null`))
    .returning({ id: keyedRequests.id })
  if (!done) await db.delete(keyedRequests).where(and(eq(keyedRequests.id, id), isNull(keyedRequests.result)))
}

/**
 * Runs `work` in one transaction, once for the request that is being answered, whoever presses how often and whichever
 * process ends in between. Without a request with a key it is a transaction like any other.
 * @returns what `work` returned, JSON alone; of a request that was done before, what it returned then.
 */
export function onceInTransaction<T>(services: Services, work: (within: Within) => Promise<T>): Promise<T> {
  const { request } = services
  return inTransaction(services, async (within) => {
    if (!request) return work(within)
    const { db: tx } = within
    const [row] = await tx
      .select({ result: keyedRequests.result })
      .from(keyedRequests)
      .where(eq(keyedRequests.id, request.id))
      .for('update')
    if (row?.result) return row.result.value as T
    const value = await work(within)
    await keepResults(tx, [{ request, value }])
    return value
  })
}

/** Whether the request that is being answered did its work before, and could not answer: its checks are behind it. */
export function isCommitted({ request }: Pick<Tools, 'request'>): boolean {
  return (request?.result ?? null) !== null
}

/** Notes what requests have committed, in the transaction that does it. */
export async function keepResults(
  tx: Queryable,
  all: readonly { request: KeyedRequest; value: unknown }[],
): Promise<void> {
  if (all.length === 0) return
  const rows = all.map(({ request: { id }, value = null }) => ({ id, result: { value } }))
  await tx.execute(sql`
    update ${keyedRequests} as k set result = r.result
    from jsonb_to_recordset(${JSON.stringify(rows)}::jsonb) as r (id uuid, result jsonb) where k.id = r.id`)
}
