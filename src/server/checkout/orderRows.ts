import { eq } from 'drizzle-orm'
import { membersOf } from '../../core/content/offer.ts'
import type { QuotedLine } from '../../core/quote/types.ts'
import { derivedKey } from '../charging/attemptKey.ts'
import type { ChargeRequest } from '../charging/start.ts'
import type { Queryable, Transaction } from '../db/client.ts'
import { type Insert, rowsOf } from '../db/insertAll.ts'
import { lineCourses, orderLines, orders, payments, type people } from '../db/schema/index.ts'
import type { Order } from '../fulfilment/notes.ts'
import type { JournalEvent } from '../journal/journal.ts'
import { keepResults } from '../platform/keyedRequest.ts'
import type { Placing } from './placing.ts'

/** What is stored of an order that is placed: its row, its lines, their courses and payments, and what is asked for. */

/** Notes which orders were placed for requests with a key, in the transaction that places them. */
export function keepPlaced(tx: Queryable, all: readonly { orderId: string; placing: Placing }[]): Promise<void> {
  return keepResults(
    tx,
    all.flatMap(({ orderId, placing: { keyed } }) => (keyed ? [{ request: keyed, value: { orderId } }] : [])),
  )
}

/** An order as it is stored, but for its number. */
export type NewOrder = Omit<Order, 'number'>

/** What is stored of an order: a new one, or one that was never paid, quoted anew. */
export function orderOf(
  person: Pick<typeof people.$inferSelect, 'id' | 'email'>,
  placing: Placing,
  unpaid: Order | null,
  now: Date,
): NewOrder {
  const { school, lines, shopper, quoted } = placing
  const titles = lines.map(({ offer, product }) => `${product.title} ${offer.live.name}`)
  const codes = quoted.quote.codes.flatMap(({ code, counts }) => (counts ? [code] : []))
  return {
    ...(unpaid ?? {
      id: crypto.randomUUID(),
      mode: shopper.mode,
      personId: person.id,
      basket: basketOf(lines),
      createdAt: now,
      upsellsEndedAt: null,
      paidAt: null,
      placedOn: null,
    }),
    payToday: quoted.quote.today.pay,
    currency: school.currency,
    quoteInput: quoted.input,
    pageId: placing.page?.id ?? null,
    pageVersion: placing.page?.version ?? null,
    cameFrom: placing.request.from ?? '',
    fromBasketId: placing.fromBasketId,
    followsId: placing.follows?.order.id ?? null,
    upsell: placing.follows?.upsell ?? null,
    quote: quoted.quote,
    browserHash: shopper.browserHash,
    buyerName: placing.request.name,
    searchText: [placing.request.name, person.email, ...titles, ...codes].join(' ').toLowerCase(),
    state: quoted.quote.today.pay > 0 ? 'paying' : 'open',
  }
}

/** New orders of one mode: each gets the next number as it is stored. */
export function numbered(all: readonly NewOrder[]): Insert {
  const sequence = all[0]?.mode === 'live' ? 'live_order_numbers' : 'practice_order_numbers'
  return rowsOf(orders, all as (typeof orders.$inferInsert)[], {
    computed: { number: `nextval('${sequence}'::regclass)` },
  })
}

/** Nothing was ever collected for it, so it may be quoted anew: its lines and payments are replaced. */
export async function changeOrder(tx: Transaction, id: string, order: NewOrder): Promise<void> {
  await Promise.all([
    tx.delete(payments).where(eq(payments.orderId, id)),
    tx.delete(orderLines).where(eq(orderLines.orderId, id)),
    tx.update(orders).set(order).where(eq(orders.id, id)),
  ])
}

/** The lines of orders, their courses and their payments, to be stored. */
export function linesOfOrders(all: readonly { order: NewOrder; placing: Placing }[]): Insert[] {
  const lines = all.flatMap(({ order: { id: orderId, mode }, placing: { lines: placed, quoted } }) =>
    placed.map(({ offer, product, role, courses }, position) => ({
      mode,
      courses,
      row: {
        id: crypto.randomUUID(),
        orderId,
        position,
        offerId: offer.id,
        offerVersion: offer.version,
        productId: product.id,
        role,
        quoted: quoted.quote.lines[position] as QuotedLine,
        opensFrom: offer.live.access.from,
        membersOf: membersOf(offer.live),
        title: product.title,
        offerName: offer.live.name,
      },
    })),
  )
  const opened = lines.flatMap(({ row: { id: lineId }, courses }) =>
    courses.map(({ id: courseId, title, weight }, position) => ({ lineId, courseId, position, title, weight })),
  )
  const scheduled = lines.flatMap(({ mode, row: { id: lineId, orderId, offerId, quoted } }) =>
    quoted.payments.map((payment) => ({ orderId, lineId, mode, offerId, state: 'due' as const, ...payment })),
  )
  return [
    rowsOf(
      orderLines,
      lines.map(({ row }) => row),
    ),
    rowsOf(lineCourses, opened),
    rowsOf(payments, scheduled),
  ]
}

/** What a placed order asks its payment method for today. */
export function askedOf(
  { id: orderId }: NewOrder,
  { school, payment, charged, savesForUpsells, quoted }: Placing,
  now: Date,
): ChargeRequest {
  return {
    orderId,
    agreementId: null,
    fromN: null,
    toN: null,
    connectionId: payment?.connectionId as string,
    amount: quoted.quote.today.pay,
    currency: school.currency,
    day: quoted.quote.purchaseDay,
    madeBy: 'buyer',
    ...(charged ? { savedMethod: charged.reference, expires: charged.expires } : {}),
    ...(savesForUpsells ? { forgetAt: now } : {}),
  }
}

/** An order that is placed, for the journal. */
export function placedEvent(
  { id: orderId, personId, payToday: amount, currency }: NewOrder,
  what: 'order-placed' | 'order-changed',
): JournalEvent {
  return { about: { orderId, personId }, what, data: { amount, currency } }
}

/** That an upsell was taken, for the journal of the order after which it was offered. */
export function takenEvent(
  { id: orderId, personId }: Pick<Order, 'id' | 'personId'>,
  { lines }: Placing,
): JournalEvent {
  return { about: { orderId, personId }, what: 'upsell-taken', data: { title: lines[0]?.product.title ?? '' } }
}

/** The courses that a basket opens. */
export function coursesIn({ lines }: Placing): string[] {
  return [...new Set(lines.flatMap(({ courses }) => courses.map(({ id }) => id)))]
}

/** Names what a basket holds, whatever its offers and their order: paid by another offer it is the same thing. */
export function basketOf(lines: readonly { product: { id: string } }[]): string {
  return derivedKey('basket', ...lines.map(({ product }) => product.id).sort())
}
