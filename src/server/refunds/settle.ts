import { and, asc, eq, inArray, sql } from 'drizzle-orm'
import { GatewayUnreachable, type RefundOutcome } from '../../gateways/contract.ts'
import { closeCourses, closeLine } from '../access/close.ts'
import type { Queryable } from '../db/client.ts'
import { attempts, chargedAgain, connections, OPEN_ATTEMPTS, orders, refunds } from '../db/schema/index.ts'
import { countAsCollectedBy } from '../fulfilment/chargedAgain.ts'
import { capabilitiesOf, openConnection } from '../gateways/service.ts'
import { type JournalEvent, record, recordAll } from '../journal/journal.ts'
import { bookGivenBack } from '../ledger/book.ts'
import { queueMessage } from '../outbox/queue.ts'
import { inMode, inTransaction, type Services, type Within } from '../platform/context.ts'
import { schoolDay } from '../school/service.ts'
import { lowerLater } from './lower.ts'

/** How soon a gateway that did not answer is asked again. */
export const AGAIN_SECONDS = 30

/** Asks the gateway for a refund under way, again where it did not answer, and settles by its answer. */
export async function settleRefund(base: Services, refundId: string): Promise<void> {
  const [row] = await base.db
    .select({ refund: refunds, attempt: attempts, mode: orders.mode, adapter: connections.adapter })
    .from(refunds)
    .innerJoin(attempts, eq(attempts.id, refunds.attemptId))
    .innerJoin(connections, eq(connections.id, attempts.connectionId))
    .innerJoin(orders, eq(orders.id, refunds.orderId))
    .where(eq(refunds.id, refundId))
  if (row?.refund.state !== 'started') return
  const services = await inMode(base, row.mode)
  const again = await chargedAgainBy(base.db, row.refund.awaitsId)
  if (again && OPEN_ATTEMPTS.includes(again.state)) {
    await services.jobs.send(services.db, 'refund-settle', { refundId }, { afterSeconds: AGAIN_SECONDS })
    return
  }
  if (again && again.state !== 'collected') {
    return inTransaction(services, (services) =>
      bookIn(services, row.refund.key, { state: 'refused', why: NOT_CHARGED_AGAIN }),
    )
  }
  const isByHand = capabilitiesOf(base.gateways, row.adapter).style === 'offline'
  let outcome: RefundOutcome | { state: 'by-hand' } = { state: 'by-hand' }
  if (!isByHand) {
    const { key } = row.refund
    const amount = (await sumOf(base.db, key)) + (again?.amount ?? 0)
    try {
      const { adapter, credentials } = await openConnection(services, row.attempt.connectionId)
      outcome = await adapter.refund(credentials, { key, reference: row.attempt.reference ?? '', amount })
    } catch (error) {
      if (!(error instanceof GatewayUnreachable)) throw error
      await services.jobs.send(services.db, 'refund-settle', { refundId }, { afterSeconds: AGAIN_SECONDS })
      return
    }
  }
  await inTransaction(services, (services) => bookIn(services, row.refund.key, outcome))
}

const NOT_CHARGED_AGAIN = 'What the buyer keeps could not be charged again, so nothing was refunded.'

/** The attempt for which a refund waits. */
async function chargedAgainBy(db: Queryable, awaitsId: string | null) {
  if (awaitsId === null) return null
  const [attempt] = await db.select().from(attempts).where(eq(attempts.id, awaitsId))
  return attempt ?? null
}

/** What one call to a gateway gives back, of all lines together. */
async function sumOf(db: Queryable, key: string): Promise<number> {
  const [row] = await db
    .select({ sum: sql<number>`sum(${refunds.amount})::float8` })
    .from(refunds)
    .where(eq(refunds.key, key))
  return row?.sum ?? 0
}

/** Writes what became of the refunds of one call, once; and closes what they were to close. */
export async function bookIn(
  services: Within,
  key: string,
  outcome: RefundOutcome | { state: 'by-hand' },
): Promise<void> {
  const { db: tx } = services
  const ofKey = tx.select({ id: refunds.orderId }).from(refunds).where(eq(refunds.key, key))
  const [order] = await tx.select().from(orders).where(inArray(orders.id, ofKey)).for('no key update')
  const rows = await tx
    .select()
    .from(refunds)
    .where(and(eq(refunds.key, key), eq(refunds.state, 'started')))
    .orderBy(asc(refunds.id))
  const [first] = rows
  if (!order || !first) return
  const at = services.now()
  const about = { orderId: order.id, personId: order.personId }
  const ids = rows.map(({ id }) => id)
  const data = { amount: rows.reduce((sum, { amount }) => sum + amount, 0), currency: order.currency }
  if (outcome.state === 'refused') {
    await tx.update(refunds).set({ state: 'refused', why: outcome.why, settledAt: at }).where(inArray(refunds.id, ids))
    return record(tx, at, about, 'refund-refused', { ...data, why: outcome.why })
  }
  const reference = outcome.state === 'refunded' ? outcome.reference : null
  const day = await schoolDay(services)
  await tx.update(refunds).set({ state: 'refunded', reference, settledAt: at, day }).where(inArray(refunds.id, ids))
  const again = await chargedAgainBy(tx, first.awaitsId)
  const recharged = again ? await tx.select().from(chargedAgain).where(eq(chargedAgain.attemptId, again.id)) : []
  await bookGivenBack(
    services,
    order,
    rows.map((row) => ({ ...row, day })),
    'refund',
    recharged,
  )
  if (again) await countAsCollectedBy(tx, again)
  const closed: JournalEvent[] = []
  for (const { access, lineId, courseIds, lowersLater, note } of rows) {
    if (lowersLater && courseIds) closed.push(...(await lowerLater(services, lineId, courseIds)))
    if (access !== 'close') continue
    closed.push(
      ...(await (courseIds ? closeCourses(services, lineId, courseIds, note) : closeLine(services, lineId, note))),
    )
  }
  const refundData = again ? { ...data, reference, whole: data.amount + again.amount } : { ...data, reference }
  const events: JournalEvent[] = [{ about, what: 'refunded', data: refundData }, ...closed]
  // What was given back in one go is told in one message, once all of it is.
  const together = and(eq(refunds.orderId, order.id), eq(refunds.createdAt, first.createdAt))
  const isLast = (await tx.$count(refunds, and(together, eq(refunds.state, 'started')))) === 0
  if (!isLast) return recordAll(tx, at, events)
  const message = { ...about, mode: order.mode, kind: 'refunded' as const, refundId: first.id }
  const { queued, rows: email } = queueMessage(services, message)
  await recordAll(tx, at, [...events, queued], email)
}
