import { and, eq, inArray, isNull, ne } from 'drizzle-orm'
import type { Collected } from '../../gateways/contract.ts'
import { readAgreement } from '../agreements/agreements.ts'
import { attemptKey, type Collects } from '../charging/attemptKey.ts'
import { agreements, attempts, connections, orders, unknownPayments } from '../db/schema/index.ts'
import { settleAttempt } from '../fulfilment/settle.ts'
import { capabilitiesOf, isReadable, openRow } from '../gateways/service.ts'
import { log } from '../log/log.ts'
import { inMode, liveTime, type Services } from '../platform/context.ts'
import { endRestoring, restoredSince } from '../platform/restored.ts'
import { schoolDay } from '../school/service.ts'

type Connection = typeof connections.$inferSelect

const HOUR_MS = 3_600_000
/** Each comparing reaches back over the one before: what was on its way then is there now. */
const OVERLAP_MS = 26 * HOUR_MS
/** So many tries beyond those that are known are looked for under their keys. */
const TRIES_AHEAD = 10

/** What comparing one connection came to. */
export interface Reconciled {
  /** Collected payments that were ours and had been lost, and count now. */
  takenIn: number
  /** Collected payments that no order knows. */
  unknown: number
}

/**
 * Compares every connection's books with ours; after a restore since its backup, else since the last time. Where all
 * were compared, a restored school goes on.
 * @returns whether every gateway answered.
 */
export async function reconcileAll(services: Services): Promise<boolean> {
  const { db } = services
  const restored = await restoredSince(db)
  const rows = await db.select().from(connections).where(isNull(connections.disconnectedAt))
  let isWhole = true
  for (const row of rows) {
    if (capabilitiesOf(services.gateways, row.adapter).style === 'offline') continue
    try {
      if (!isReadable(services, row.secret)) throw new Error(`the key of ${row.adapter} cannot be read`)
      await reconcile(services, row, restored)
    } catch (error) {
      isWhole = false
      log('error', 'reconcile', error)
    }
  }
  if (isWhole && restored) await endRestoring(db)
  return isWhole
}

/** Compares one connection's books with ours, and takes in what is ours. @throws GatewayUnreachable. */
async function reconcile(
  services: Services,
  connection: Connection,
  restored: Date | null = null,
): Promise<Reconciled> {
  const now = liveTime(services)
  const from = restored ?? connection.reconciledAt ?? connection.createdAt
  const { adapter, credentials } = await openRow(services, connection)
  const listed = await adapter.listCollected(credentials, new Date(from.getTime() - OVERLAP_MS))
  const theirs = await inMode(services, connection.mode)
  let takenIn = 0
  let left = await unsettled(services, connection, listed)
  // What is taken in may be what the next payment of its agreement waited for.
  for (let isNew = true; isNew && left.length > 0; ) {
    isNew = false
    await writeMissing(theirs, connection, left)
    for (const { key, outcome } of left) {
      const attempt = await attemptBy(services, connection, key)
      if (!attempt) continue
      await settleAttempt(theirs, attempt.id, outcome, 'lookup')
      if ((await attemptBy(services, connection, key))?.state !== 'collected') continue
      isNew = true
      takenIn++
    }
    left = await unsettled(services, connection, left)
  }
  const unknown: Collected[] = []
  for (const payment of left) if (!(await attemptBy(services, connection, payment.key))) unknown.push(payment)
  await keepUnknown(services, connection, unknown)
  await services.db.update(connections).set({ reconciledAt: now }).where(eq(connections.id, connection.id))
  return { takenIn, unknown: unknown.length }
}

async function attemptBy({ db }: Services, { id: connectionId }: Connection, key: string) {
  const [attempt] = await db
    .select({ id: attempts.id, state: attempts.state })
    .from(attempts)
    .where(and(eq(attempts.key, key), eq(attempts.connectionId, connectionId)))
  return attempt ?? null
}

/** The payments that do not count as collected here. */
async function unsettled({ db }: Services, { id }: Connection, listed: readonly Collected[]): Promise<Collected[]> {
  if (listed.length === 0) return []
  const keys = listed.map(({ key }) => key)
  const known = await db
    .select({ key: attempts.key })
    .from(attempts)
    .where(and(eq(attempts.connectionId, id), eq(attempts.state, 'collected'), inArray(attempts.key, keys)))
  const settled = new Set(known.map(({ key }) => key))
  return listed.filter(({ key }) => !settled.has(key))
}

/**
 * Writes the attempts down anew that a lost part of our books held: their keys are derived from what they collected, so
 * that they can be told from what is still owed.
 */
async function writeMissing(services: Services, { id: connectionId, mode }: Connection, left: readonly Collected[]) {
  const { db } = services
  const known = await db
    .select({ key: attempts.key })
    .from(attempts)
    .where(
      inArray(
        attempts.key,
        left.map(({ key }) => key),
      ),
    )
  const here = new Set(known.map(({ key }) => key))
  const missing = left.filter(({ key }) => !here.has(key))
  if (missing.length === 0) return
  const owed = await keysOfWhatIsOwed(services, mode)
  const day = await schoolDay(services)
  for (const { key, outcome } of missing) {
    const collects = owed.get(key)
    if (!collects) continue
    const toN = await lastCovered(db, collects, outcome.amount)
    if (toN === undefined) continue
    await db
      .insert(attempts)
      .values({
        ...collects,
        toN,
        key,
        connectionId,
        amount: outcome.amount,
        currency: outcome.currency,
        // It is settled at once; an open one would stand in the way of another that is under way.
        state: 'abandoned',
        startedAt: services.now(),
        day,
        madeBy: 'buyer',
      })
      .onConflictDoNothing()
  }
}

/** The keys of the next tries at all that is owed in a mode: orders that are not paid, next payments of agreements. */
async function keysOfWhatIsOwed({ db }: Services, mode: Connection['mode']): Promise<Map<string, Collects>> {
  const [unpaid, going] = await Promise.all([
    db
      .select({ orderId: orders.id })
      .from(orders)
      .where(and(eq(orders.mode, mode), ne(orders.state, 'paid'))),
    db
      .select({ agreementId: agreements.id, orderId: agreements.orderId, collected: agreements.collected })
      .from(agreements)
      .where(and(eq(agreements.mode, mode), inArray(agreements.state, ['active', 'stopped']))),
  ])
  const owed: Collects[] = [
    ...unpaid.map(({ orderId }) => ({ orderId, agreementId: null, fromN: null })),
    ...going.map(({ orderId, agreementId, collected }) => ({ orderId, agreementId, fromN: collected + 1 })),
  ]
  const keys = new Map<string, Collects>()
  for (const collects of owed) {
    for (let n = 0; n < TRIES_AHEAD; n++) keys.set(attemptKey(collects, n), collects)
  }
  return keys
}

/** The number up to which an agreement's payments come to an amount; null of an order; undefined where none do. */
async function lastCovered(
  db: Services['db'],
  { orderId, agreementId, fromN }: Collects,
  amount: number,
): Promise<number | null | undefined> {
  if (agreementId === null || fromN === null) {
    const [order] = await db.select({ payToday: orders.payToday }).from(orders).where(eq(orders.id, orderId))
    return order?.payToday === amount ? null : undefined
  }
  const { scheduled } = await readAgreement(db, agreementId)
  let sum = 0
  for (const { n, pay } of scheduled.filter((payment) => payment.n >= fromN)) {
    sum += pay
    if (sum >= amount) return sum === amount ? n : undefined
  }
  return undefined
}

async function keepUnknown(services: Services, { id: connectionId }: Connection, found: readonly Collected[]) {
  if (found.length === 0) return
  await services.db
    .insert(unknownPayments)
    .values(
      found.map(({ key, about, at, outcome: { reference, amount, currency, method } }) => ({
        connectionId,
        key,
        reference,
        amount,
        currency,
        method,
        about,
        collectedAt: new Date(at),
        foundAt: liveTime(services),
        state: 'open' as const,
      })),
    )
    .onConflictDoNothing()
}
