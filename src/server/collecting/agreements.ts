import { and, asc, eq, isNull } from 'drizzle-orm'
import { after, type Day } from '../../core/calendar/day.ts'
import { closesAsItStands, paidAtPurchase, shutsForDebt } from '../../core/collecting/access.ts'
import { type Agreement, nextTryOf, owes } from '../../core/collecting/agreement.ts'
import { quote } from '../../core/quote/quote.ts'
import { readQuoteRequest } from '../../core/quote/read.ts'
import { anchorOf } from '../../core/quote/schedule.ts'
import type { QuotedOffer, QuoteRequest } from '../../core/quote/types.ts'
import type { Queryable, Transaction } from '../db/client.ts'
import { agreements, grants, orderLines, orders, payments } from '../db/schema/index.ts'
import { notFound } from '../http/problem.ts'

export type AgreementRow = typeof agreements.$inferSelect
export type PaymentRow = typeof payments.$inferSelect

/** An agreement as it is stored, and as the core sees it. */
export interface Held {
  row: AgreementRow
  order: typeof orders.$inferSelect
  line: typeof orderLines.$inferSelect
  /** The numbered payments in due order. */
  scheduled: PaymentRow[]
  agreement: Agreement
  request: QuoteRequest
  offer: QuotedOffer
}

/** Payments to come that are kept listed of what goes on until cancelled, at least … */
const FEWEST_AHEAD = 3
/** … and at most. */
const MOST_AHEAD = 120

/**
 * Locks the order of an agreement, which is the lock for all that happens to it, and reads how it stands.
 * @throws Problem 404 where there is none.
 */
export async function holdAgreement(tx: Transaction, id: string): Promise<Held> {
  const [found] = await tx.select({ orderId: agreements.orderId }).from(agreements).where(eq(agreements.id, id))
  if (!found) throw notFound('agreement')
  await tx.select({ id: orders.id }).from(orders).where(eq(orders.id, found.orderId)).for('no key update')
  return readAgreement(tx, id)
}

/** How an agreement stands. @throws Problem 404 where there is none. */
export async function readAgreement(db: Queryable, id: string): Promise<Held> {
  const [found] = await db
    .select({ row: agreements, order: orders, line: orderLines })
    .from(agreements)
    .innerJoin(orders, eq(orders.id, agreements.orderId))
    .innerJoin(orderLines, eq(orderLines.id, agreements.lineId))
    .where(eq(agreements.id, id))
  if (!found) throw notFound('agreement')
  const { row, order, line } = found
  const all = await db
    .select()
    .from(payments)
    .where(eq(payments.lineId, line.id))
    .orderBy(asc(payments.due), asc(payments.n))
  const scheduled = all.filter(({ n }) => n > 0)
  const request = readQuoteRequest(order.quoteInput)
  const offer = request.lines[line.position]?.offer
  if (!offer) throw new Error(`Order ${order.number} has no quote for its line ${line.position}.`)
  return { row, order, line, scheduled, request, offer, agreement: coreOf(row, scheduled) }
}

/** An agreement in the core's own shape. */
function coreOf(row: AgreementRow, scheduled: readonly PaymentRow[]): Agreement {
  const { kind, endless, collected, lastCollected, tries, firstTried, lastTried, state } = row
  const { cancelledOn, cancelledWhen } = row
  return {
    kind,
    endless,
    collected,
    lastCollected,
    tries,
    firstTried,
    lastTried,
    state,
    cancelled: cancelledOn && cancelledWhen ? { on: cancelledOn, when: cancelledWhen } : null,
    payments: scheduled.map(({ n, kind: of, due, list, price, discount, tax, pay }) => ({
      n,
      kind: of,
      due,
      list,
      price,
      discount,
      tax,
      pay,
    })),
  }
}

/** What is stored of an agreement as the core sees it. */
export function storedOf(agreement: Agreement, retryAfterDays: readonly number[]) {
  const { kind, endless, state, collected, lastCollected, tries, firstTried, lastTried, cancelled } = agreement
  return {
    kind,
    endless,
    state,
    collected,
    lastCollected,
    tries,
    firstTried,
    lastTried,
    nextTry: nextTryOf(agreement, retryAfterDays),
    cancelledOn: cancelled?.on ?? null,
    cancelledWhen: cancelled?.when ?? null,
  }
}

/** From when to when the course is open as an agreement stands, for its grant. */
export function grantDates(offer: QuotedOffer, agreement: Agreement | null, line: Held['line'], purchaseDay: Day) {
  return {
    closes: closesAsItStands(offer, agreement, purchaseDay, paidAtPurchase(line.quoted, purchaseDay)),
    shuts: shutsForDebt(offer, agreement),
  }
}

/**
 * Stores what became of an agreement, in the caller's transaction: the row, more payments where it goes
 * on, those no longer expected, and until when its courses are open.
 */
export async function saveAgreement(
  tx: Transaction,
  held: Held,
  next: Agreement,
  retryAfterDays: readonly number[],
): Promise<Agreement> {
  const { row, order, line, offer } = held
  const listed = await listAhead(tx, held, next)
  const dates = grantDates(offer, listed, line, order.quote.purchaseDay)
  await Promise.all([
    tx.update(agreements).set(storedOf(listed, retryAfterDays)).where(eq(agreements.id, row.id)),
    tx
      .update(grants)
      .set(dates)
      .where(and(eq(grants.lineId, line.id), isNull(grants.endedAt))),
    ...(owes(listed)
      ? []
      : [
          tx
            .update(payments)
            .set({ state: 'let-go' })
            .where(and(eq(payments.lineId, line.id), eq(payments.state, 'due'))),
        ]),
  ])
  return listed
}

/** Lists more payments of what goes on until cancelled, so that a year's worth always stands ahead. */
async function listAhead(tx: Transaction, { order, line, request, offer }: Held, next: Agreement): Promise<Agreement> {
  const known = next.payments.length
  if (!next.endless || next.state !== 'active' || offer.terms.kind !== 'subscription') return next
  const yearOn = after(next.lastCollected, 1, { count: 1, unit: 'year' })
  const anchor = anchorOf(offer.terms, order.quote.purchaseDay)
  let horizon = next.collected + FEWEST_AHEAD
  while (horizon < next.collected + MOST_AHEAD && after(anchor, horizon, offer.terms.every) <= yearOn) horizon++
  if (horizon <= known) return next
  const more = quote({ ...request, horizon }).lines[line.position]?.payments.filter(({ n }) => n > known) ?? []
  if (more.length === 0) return next
  await tx.insert(payments).values(
    more.map((payment) => ({
      ...payment,
      mode: order.mode,
      offerId: line.offerId,
      orderId: order.id,
      lineId: line.id,
      state: 'due' as const,
    })),
  )
  return { ...next, payments: [...next.payments, ...more] }
}
