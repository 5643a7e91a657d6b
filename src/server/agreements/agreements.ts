import { and, asc, eq, gt, inArray, isNull, sql } from 'drizzle-orm'
import { after, type Day } from '../../core/calendar/day.ts'
import { closesAsItStands, paidAtPurchase, shutsForDebt } from '../../core/collecting/access.ts'
import { type Agreement, nextTryOf, owes } from '../../core/collecting/agreement.ts'
import { quote } from '../../core/quote/quote.ts'
import { anchorOf } from '../../core/quote/schedule.ts'
import { readStoredQuote } from '../../core/quote/stored.ts'
import type { QuotedOffer, QuoteRequest } from '../../core/quote/types.ts'
import type { Queryable, Transaction } from '../db/client.ts'
import { agreements, grants, OPEN_ATTEMPTS, orderLines, orders, payments, school } from '../db/schema/index.ts'
import { notFound } from '../http/problem.ts'

export type AgreementRow = typeof agreements.$inferSelect

/** Of an order and its line only what an agreement asks: every payment collected reads them. */
const ORDER = {
  id: orders.id,
  mode: orders.mode,
  number: orders.number,
  personId: orders.personId,
  currency: orders.currency,
  quoteInput: orders.quoteInput,
  quote: orders.quote,
  placedOn: orders.placedOn,
}
const LINE = {
  id: orderLines.id,
  position: orderLines.position,
  offerId: orderLines.offerId,
  title: orderLines.title,
  offerName: orderLines.offerName,
  quoted: orderLines.quoted,
}
const OPEN = sql.join(
  OPEN_ATTEMPTS.map((state) => sql`${state}`),
  sql`, `,
)
const BESIDE = {
  retryAfterDays: school.retryAfterDays,
  isUnderWay: sql<boolean>`exists (select 1 from attempts t
    where t.agreement_id = ${agreements.id} and t.state in (${OPEN}))`,
  isTakenBack: sql<boolean>`not exists (select 1 from ${grants} g
    where g.line_id = ${agreements.lineId} and g.ended_at is null)`,
}
const SCHEDULED = {
  id: payments.id,
  n: payments.n,
  kind: payments.kind,
  due: payments.due,
  list: payments.list,
  price: payments.price,
  discount: payments.discount,
  tax: payments.tax,
  pay: payments.pay,
  state: payments.state,
}
export type AgreedOrder = Pick<typeof orders.$inferSelect, keyof typeof ORDER>
type AgreedLine = Pick<typeof orderLines.$inferSelect, keyof typeof LINE>
export type Scheduled = Pick<typeof payments.$inferSelect, keyof typeof SCHEDULED>

/** An agreement as it is stored, and as the core sees it. */
export interface Held {
  row: AgreementRow
  order: AgreedOrder
  line: AgreedLine
  /** The numbered payments in due order. */
  scheduled: Scheduled[]
  agreement: Agreement
  request: QuoteRequest
  offer: QuotedOffer
  /** The school's policy at this moment. */
  retryAfterDays: readonly number[]
  /** An attempt of it is under way. */
  isUnderWay: boolean
  /** The creator has shut all that it pays for. */
  isTakenBack: boolean
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
  const ofAgreement = tx.select({ id: agreements.orderId }).from(agreements).where(eq(agreements.id, id))
  await tx.select({ id: orders.id }).from(orders).where(inArray(orders.id, ofAgreement)).for('no key update')
  return readAgreement(tx, id)
}

/** How an agreement stands. @throws Problem 404 where there is none. */
export async function readAgreement(db: Queryable, id: string): Promise<Held> {
  const [found] = await db
    .select({ row: agreements, order: ORDER, line: LINE, ...BESIDE })
    .from(agreements)
    .innerJoin(orders, eq(orders.id, agreements.orderId))
    .innerJoin(orderLines, eq(orderLines.id, agreements.lineId))
    .innerJoin(school, sql`true`)
    .where(eq(agreements.id, id))
  if (!found) throw notFound('agreement')
  return readSchedule(db, found)
}

/** The same for whoever has read its order. */
export async function readAgreementOf(db: Queryable, order: AgreedOrder, id: string): Promise<Held> {
  const [found] = await db
    .select({ row: agreements, line: LINE, ...BESIDE })
    .from(agreements)
    .innerJoin(orderLines, eq(orderLines.id, agreements.lineId))
    .innerJoin(school, sql`true`)
    .where(eq(agreements.id, id))
  if (!found) throw notFound('agreement')
  return readSchedule(db, { ...found, order })
}

async function readSchedule(
  db: Queryable,
  found: Pick<Held, 'row' | 'order' | 'line' | 'retryAfterDays' | 'isUnderWay' | 'isTakenBack'>,
): Promise<Held> {
  const { row, order, line } = found
  const scheduled = await db
    .select(SCHEDULED)
    .from(payments)
    .where(and(eq(payments.lineId, line.id), gt(payments.n, 0)))
    .orderBy(asc(payments.due), asc(payments.n))
  const request = readStoredQuote(order.quoteInput)
  const offer = request.lines[line.position]?.offer
  if (!offer) throw new Error(`Order ${order.number} has no quote for its line ${line.position}.`)
  return { ...found, scheduled, request, offer, agreement: coreOf(row, scheduled) }
}

/** An agreement in the core's own shape. */
function coreOf(row: AgreementRow, scheduled: readonly Scheduled[]): Agreement {
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

/** The day of the purchase, and the day on which it was paid: in older orders the same. */
function daysOf({ quote: { purchaseDay }, placedOn }: AgreedOrder) {
  return { purchaseDay, placedOn: placedOn ?? purchaseDay }
}

/** Until when the course is open as an agreement stands, for its grant; `placedOn` is the day on which the order was paid. */
export function grantDates(
  offer: QuotedOffer,
  agreement: Agreement | null,
  line: Pick<Held['line'], 'quoted'>,
  { purchaseDay, placedOn }: { purchaseDay: Day; placedOn: Day },
) {
  return {
    closes: closesAsItStands(offer, agreement, purchaseDay, paidAtPurchase(line.quoted, purchaseDay), placedOn),
    shuts: shutsForDebt(offer, agreement),
  }
}

/**
 * Stores what became of an agreement, in the caller's transaction: the row, more payments where it goes
 * on, those no longer expected, and until when its courses are open.
 */
export async function saveAgreement(tx: Transaction, held: Held, next: Agreement): Promise<Agreement> {
  const { row, order, line, offer, retryAfterDays } = held
  const listed = await listAhead(tx, held, next)
  const dates = grantDates(offer, listed, line, daysOf(order))
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
