import { and, eq, inArray, not, sql } from 'drizzle-orm'
import { beginAgreement } from '../../core/collecting/agreement.ts'
import { opensOn } from '../../core/quote/access.ts'
import { readQuoteRequest } from '../../core/quote/read.ts'
import type { QuotedLine, QuotedOffer } from '../../core/quote/types.ts'
import type { Outcome } from '../../gateways/contract.ts'
import { grantDates, storedOf } from '../collecting/agreements.ts'
import { laterCollected, laterDeclined } from '../collecting/outcome.ts'
import { inTransaction, type Services, type Within } from '../context.ts'
import type { Transaction } from '../db/client.ts'
import {
  agreements,
  attempts,
  grants,
  journal,
  OPEN_ATTEMPTS,
  offers,
  orderLines,
  orders,
  payments,
} from '../db/schema/index.ts'
import { queueMessage } from '../messages/queue.ts'
import { type Happening, record, recordAll } from '../orders/journal.ts'
import { dayFor, getSchool, schoolDay } from '../school/service.ts'
import { paidMeanwhile } from './heldAlready.ts'

export type Attempt = typeof attempts.$inferSelect
export type Order = typeof orders.$inferSelect

/** Who brought the news: the answer to our call, an event, or a look-up by key. */
export type Source = 'answer' | 'event' | 'lookup'

/**
 * The one state change that follows from a gateway's word about an attempt, whoever brings it and
 * in whatever order; told twice, it happens once. "Paid" and the grants are one transaction.
 */
export async function settleAttempt(
  services: Services,
  attemptId: string,
  outcome: Outcome,
  source: Source,
): Promise<void> {
  await inTransaction(services, async (services) => {
    const { db: tx } = services
    // The order's row is the lock for all that happens to it; the attempt is read once it is held.
    const ofAttempt = tx.select({ id: attempts.orderId }).from(attempts).where(eq(attempts.id, attemptId))
    const [order] = await tx.select().from(orders).where(inArray(orders.id, ofAttempt)).for('no key update')
    const [attempt] = await tx.select().from(attempts).where(eq(attempts.id, attemptId))
    if (!order || !attempt) throw new Error(`There is no attempt ${attemptId}.`)
    await settleIn(services, order, attempt, outcome, source)
  })
}

/** The same in the caller's transaction, which holds the order's lock and has read the attempt since. */
export async function settleIn(services: Within, order: Order, attempt: Attempt, outcome: Outcome, source: Source) {
  const { db: tx } = services
  const isOpen = OPEN_ATTEMPTS.includes(attempt.state)
  const isLater = attempt.agreementId !== null
  const at = services.now()
  const about = { orderId: order.id, personId: order.personId }
  switch (outcome.state) {
    case 'absent':
      return
    case 'collected':
      if (attempt.state === 'collected') return
      if (outcome.amount !== attempt.amount || outcome.currency !== attempt.currency) {
        // Nothing is settled by other money than was asked for.
        const { amount: asked, currency, key } = attempt
        const { reference, amount, currency: said } = outcome
        return noteOnce(services, order, 'attempt-mismatch', key, { asked, currency, reference, amount, said })
      }
      return isLater
        ? laterCollected(services, order, attempt, outcome, source)
        : collected(services, order, attempt, outcome, source)
    case 'confirming':
      if (attempt.state !== 'started' && attempt.state !== 'unknown') return
      await change(tx, attempt, { state: 'confirming', reference: outcome.reference, confirmUrl: outcome.url })
      return record(tx, at, about, 'attempt-confirming', { reference: outcome.reference })
    case 'awaited': {
      if (!isOpen || attempt.state === 'awaiting') return
      const { reference, method } = outcome
      await change(tx, attempt, { state: 'awaiting', reference, method, confirmUrl: null })
      const { queued, writes } = queueMessage(services, { ...about, mode: order.mode, kind: 'awaiting' })
      await Promise.all(writes)
      return recordAll(tx, at, [{ about, what: 'attempt-awaiting', data: { reference, method, source } }, queued])
    }
    case 'declined':
      if (!isOpen) return
      if (isLater) return laterDeclined(services, order, attempt, outcome, source)
      await change(tx, attempt, {
        state: 'declined',
        reference: outcome.reference,
        reason: outcome.reason,
        method: outcome.method,
        settledAt: at,
        confirmUrl: null,
      })
      await tx
        .update(orders)
        .set({ state: 'open' })
        .where(and(eq(orders.id, order.id), eq(orders.state, 'paying')))
      return tellDeclined(services, order, attempt, outcome, source)
    case 'abandoned':
      if (!isOpen) return
      await change(tx, attempt, { state: 'abandoned', settledAt: at, confirmUrl: null })
      if (isLater) return record(tx, at, about, 'attempt-abandoned', { source })
      await tx
        .update(orders)
        .set({ state: 'open' })
        .where(and(eq(orders.id, order.id), eq(orders.state, 'paying')))
      return record(tx, at, about, 'attempt-abandoned', { source })
  }
}

/** Writes a decline down. A buyer who has left, because the money was to come later, is told of it. */
async function tellDeclined(
  services: Within,
  { id: orderId, personId, mode }: Order,
  attempt: Attempt,
  { reason, reference, method }: Extract<Outcome, { state: 'declined' }>,
  source: Source,
) {
  const { db: tx } = services
  const about = { orderId, personId }
  const declined: Happening = { about, what: 'attempt-declined', data: { reason, reference, method, source } }
  if (attempt.state !== 'awaiting') return recordAll(tx, services.now(), [declined])
  const { queued, writes } = queueMessage(services, { ...about, mode, kind: 'not-arrived' })
  await Promise.all(writes)
  return recordAll(tx, services.now(), [declined, queued])
}

/** Notes something about an attempt that a person must see, once, however often the gateway says it. */
export async function noteOnce(
  { db: tx, now }: Within,
  { id: orderId, personId }: Pick<Order, 'id' | 'personId'>,
  what: 'attempt-mismatch' | 'attempt-surplus',
  key: string,
  data: Record<string, string | number | null>,
): Promise<void> {
  const noted = and(eq(journal.orderId, orderId), eq(journal.what, what), sql`${journal.data}->>'key' = ${key}`)
  if ((await tx.$count(journal, noted)) > 0) return
  await record(tx, now(), { orderId, personId }, what, { key, ...data })
}

async function collected(
  services: Within,
  order: Order,
  attempt: Attempt,
  outcome: Extract<Outcome, { state: 'collected' }>,
  source: Source,
) {
  const { db: tx } = services
  const at = services.now()
  const { reference, fee, method, kept, expires } = outcome
  if (order.state === 'paid') {
    // The gateway took money for an attempt that it had said was closed. Nothing opens twice; a person must see it.
    return noteOnce(services, order, 'attempt-surplus', attempt.key, {
      reference,
      amount: outcome.amount,
      currency: outcome.currency,
    })
  }
  await change(tx, attempt, {
    state: 'collected',
    reference,
    fee,
    method,
    kept,
    expires,
    reason: null,
    settledAt: at,
    confirmUrl: null,
  })
  const about = { orderId: order.id, personId: order.personId }
  const data = { amount: attempt.amount, currency: attempt.currency, reference, method, source }
  const collectedNow: Happening = { about, what: 'attempt-collected', data }
  const lines = await linesOf(tx, order.id)
  const courseIds = lines.map(({ courseId }) => courseId)
  const first = await paidMeanwhile(tx, order, courseIds, await schoolDay(services))
  if (first) return markPaidTwice(services, order, attempt.id, first, collectedNow)
  await markPaid(services, order, attempt.id, [collectedNow], {
    connectionId: attempt.connectionId,
    reference: kept,
    method,
    expires,
  })
}

async function change(tx: Transaction, attempt: Attempt, set: Partial<Attempt>) {
  await tx.update(attempts).set(set).where(eq(attempts.id, attempt.id))
}

/** The lines of an order, each with the course that it opens. */
function linesOf(tx: Transaction, orderId: string) {
  return tx
    .select({ line: orderLines, courseId: offers.courseId })
    .from(orderLines)
    .innerJoin(offers, eq(offers.id, orderLines.offerId))
    .where(eq(orderLines.orderId, orderId))
}

/**
 * Money came for an order whose course was opened by another order meanwhile: it is booked, opens nothing, nothing
 * more is charged for it, and it stands under attention until it is refunded. The buyer is told.
 */
async function markPaidTwice(
  services: Within,
  { id: orderId, personId, mode, payToday, currency, quote }: Order,
  attemptId: string,
  duplicateOf: string,
  collectedNow: Happening,
): Promise<void> {
  const { db: tx } = services
  const at = services.now()
  const about = { orderId, personId }
  const dueNow = eq(payments.due, quote.purchaseDay)
  const placedOn = await schoolDay(services)
  await tx.update(orders).set({ state: 'paid', paidAt: at, placedOn, duplicateOf }).where(eq(orders.id, orderId))
  await tx
    .update(payments)
    .set({ state: 'collected', attemptId, collectedAt: at })
    .where(and(eq(payments.orderId, orderId), dueNow))
  await tx
    .update(payments)
    .set({ state: 'let-go' })
    .where(and(eq(payments.orderId, orderId), not(dueNow)))
  const { queued, writes } = queueMessage(services, { ...about, mode, kind: 'paid-twice' })
  await Promise.all(writes)
  await recordAll(tx, at, [
    collectedNow,
    { about, what: 'order-paid-twice', data: { amount: payToday, currency } },
    queued,
  ])
}

/** The method that later payments are charged to; `reference` null where the gateway kept none. */
export interface KeptFor {
  connectionId: string
  reference: string | null
  method: string
  expires: string | null
}

/** Whether a line has payments to come after the purchase day. */
export function goesOn({ payments: all, untilCancelled }: QuotedLine, purchaseDay: string): boolean {
  return untilCancelled || all.some(({ n, due }) => n > 0 && due > purchaseDay)
}

/**
 * Marks an order paid, its payments of today collected, and opens its courses, in the caller's
 * transaction. `attemptId` is null where nothing was due; `before` is what led to it,
 * for the journal; `kept` is what later payments are charged to.
 */
export async function markPaid(
  services: Within,
  order: Order,
  attemptId: string | null,
  before: Happening[],
  kept: KeptFor | null,
): Promise<void> {
  const { db: tx } = services
  const at = services.now()
  const { mode, personId, id: orderId } = order
  const about = { orderId, personId }
  const school = await getSchool(tx)
  const placedOn = dayFor(school, at)
  const [lines] = await Promise.all([
    linesOf(tx, orderId),
    tx.update(orders).set({ state: 'paid', paidAt: at, placedOn }).where(eq(orders.id, orderId)),
    tx
      .update(payments)
      .set({ state: 'collected', attemptId, collectedAt: at })
      .where(and(eq(payments.orderId, orderId), eq(payments.due, order.quote.purchaseDay))),
  ])
  const { purchaseDay } = order.quote
  const request = readQuoteRequest(order.quoteInput)
  const begun = lines.map(({ line, courseId }) => {
    const offer = request.lines[line.position]?.offer as QuotedOffer
    return { line, courseId, offer, agreement: beginAgreement(line.quoted, offer.terms.kind, purchaseDay) }
  })
  const opened = begun.map(({ line, courseId, offer, agreement }) => {
    const opens = opensOn(offer.access, placedOn)
    const dates = grantDates(offer, agreement, line, { purchaseDay, placedOn })
    return { mode, personId, courseId, orderId, lineId: line.id, offerId: line.offerId, opens, createdAt: at, ...dates }
  })
  const promised = begun.flatMap(({ line, agreement }) => (agreement ? [{ line, agreement }] : []))
  if (promised.length > 0) {
    if (!kept) throw new Error(`Order ${order.number} has payments to come, and nothing to charge them to.`)
    const { retryAfterDays } = school
    const { connectionId, reference, method, expires } = kept
    await tx.insert(agreements).values(
      promised.map(({ line, agreement }) => ({
        ...storedOf(agreement, retryAfterDays),
        mode,
        personId,
        orderId,
        lineId: line.id,
        connectionId,
        kept: reference,
        method,
        expires,
        createdAt: at,
      })),
    )
  }
  const { queued, writes } = queueMessage(services, { mode, kind: 'receipt', personId, orderId })
  const sold =
    school.soldTelling === 'each' ? queueMessage(services, { mode, kind: 'told-sold', personId, orderId }) : null
  await Promise.all([
    tx.insert(grants).values(opened),
    ...writes,
    ...(sold?.writes ?? []),
    recordAll(tx, at, [
      ...before,
      { about, what: 'order-paid', data: { amount: order.payToday, currency: order.currency } },
      ...promised.map((): Happening => ({ about, what: 'agreement-begun', data: { method: kept?.method ?? null } })),
      ...opened.map(({ opens, closes }, index): Happening => {
        const course = lines[index]?.line.courseTitle ?? ''
        return { about, what: 'course-opened', data: { course, opens, closes } }
      }),
      queued,
      ...(sold ? [sold.queued] : []),
    ]),
  ])
}
