import { and, asc, between, eq, gt } from 'drizzle-orm'
import { taxesToday } from '../../core/content/quoteInput.ts'
import { laterReceiptRows, type ReceiptRow, receiptRows } from '../../core/content/receiptRows.ts'
import { readStoredQuote } from '../../core/quote/stored.ts'
import type { ReceiptAmounts } from '../../core/sentence/receipt.ts'
import type { Queryable } from '../db/client.ts'
import {
  agreements,
  attempts,
  chargedAgain,
  orderLines,
  orders,
  type Parties,
  payments,
  people,
} from '../db/schema/index.ts'
import type { Services } from '../platform/context.ts'
import { dayFor, getSchool } from '../school/service.ts'

/**
 * The receipt of one payment that was received. All of it is read off what never changes: the quote, the payment as it was
 * due, and the names of its day; so no later payment, refund or setting changes it.
 */
export interface PaymentReceipt extends ReceiptAmounts {
  number: number
  currency: string
  /** The school's day on which it was received. */
  day: string
  method: string | null
  parties: Parties
  things: { course: string; offer: string }[]
}

/** The receipt of the payment that an attempt collected; null where it collected nothing, or is of another order. */
export async function paymentReceiptOf(
  { db }: Services,
  orderId: string,
  attemptId: string,
): Promise<PaymentReceipt | null> {
  const [row] = await db
    .select({ attempt: attempts, order: orders, person: people })
    .from(attempts)
    .innerJoin(orders, eq(orders.id, attempts.orderId))
    .innerJoin(people, eq(people.id, orders.personId))
    .where(and(eq(attempts.id, attemptId), eq(attempts.orderId, orderId), eq(attempts.state, 'collected')))
  if (!row) return null
  const { attempt, order, person } = row
  const [school, lines] = await Promise.all([
    getSchool(db),
    db.select().from(orderLines).where(eq(orderLines.orderId, orderId)).orderBy(asc(orderLines.position)),
  ])
  // Older ones were collected before names were kept with them.
  const { name, language } = school
  const { email, postalAddress } = person
  const now = { name, language, buyer: { name: order.buyerName ?? person.name, email, postalAddress } }
  const parts =
    attempt.agreementId === null ? await partsToday(db, attempt, order, lines) : await partsLater(db, attempt, order)
  // Of an order's things those that it paid, in their order.
  const paid = lines.filter(({ position }) => parts.positions.includes(position))
  return {
    rows: parts.rows.map((row) => ({ ...row, line: paid.findIndex(({ position }) => position === row.line) })),
    taxes: parts.taxes,
    things: paid.map(({ title, offerName }) => ({ course: title, offer: offerName })),
    number: order.number,
    currency: attempt.currency,
    day: attempt.settledAt ? dayFor(school, attempt.settledAt) : attempt.day,
    method: attempt.method,
    parties: attempt.parties ?? now,
    taxMode: readStoredQuote(order.quoteInput).tax.mode,
    paid: attempt.amount,
  }
}

type Attempt = typeof attempts.$inferSelect
type Order = typeof orders.$inferSelect
type Line = typeof orderLines.$inferSelect
interface Parts {
  /** The places of the lines that were paid. */
  positions: number[]
  rows: ReceiptRow[]
  taxes: { rate: number; tax: number }[]
}

/** What was paid on the purchase day; of what was charged again only the lines that it is for. */
async function partsToday(
  db: Queryable,
  attempt: Attempt,
  { quoteInput, quote }: Order,
  lines: readonly Line[],
): Promise<Parts> {
  const again = await db
    .select({ lineId: chargedAgain.lineId })
    .from(chargedAgain)
    .where(eq(chargedAgain.attemptId, attempt.id))
  const isOf = ({ id }: Line) => attempt.replacesId === null || again.some(({ lineId }) => lineId === id)
  const left = lines.filter((line) => !isOf(line)).map(({ position }) => position)
  // Money that was not owed has no tax in it.
  const untaxed = lines.filter(({ duplicateOf }) => duplicateOf !== null).map(({ position }) => position)
  return {
    positions: lines.filter(isOf).map(({ position }) => position),
    rows: receiptRows(quoteInput, quote).filter(({ line }) => !left.includes(line)),
    taxes: taxesToday(quoteInput, quote, [...left, ...untaxed]),
  }
}

/** Payments of one line that were charged together. */
async function partsLater(db: Queryable, { agreementId, fromN, toN }: Attempt, order: Order): Promise<Parts> {
  const { quoteInput, quote } = order
  const paid = await db
    .select({ payment: payments, position: orderLines.position })
    .from(payments)
    .innerJoin(orderLines, eq(orderLines.id, payments.lineId))
    .innerJoin(agreements, and(eq(agreements.lineId, payments.lineId), eq(agreements.id, agreementId as string)))
    .where(between(payments.n, fromN ?? 0, toN ?? 0))
    .orderBy(asc(payments.n))
  const position = paid[0]?.position ?? 0
  const request = readStoredQuote(quoteInput)
  const rate = request.lines[position]?.offer.taxRate ?? request.tax.rate
  const tax = paid.reduce((sum, { payment }) => sum + payment.tax, 0)
  return {
    positions: [position],
    rows: laterReceiptRows(
      quoteInput,
      quote,
      position,
      paid.map(({ payment }) => payment),
    ),
    taxes: tax > 0 ? [{ rate, tax }] : [],
  }
}

/** The payments that were received for an order, each with its receipt, in the order in which they came. */
export async function receivedPayments({ db }: Services, orderId: string) {
  const school = await getSchool(db)
  const rows = await db
    .select({ id: attempts.id, amount: attempts.amount, day: attempts.day, settledAt: attempts.settledAt })
    .from(attempts)
    .where(and(eq(attempts.orderId, orderId), eq(attempts.state, 'collected'), gt(attempts.amount, 0)))
    .orderBy(asc(attempts.settledAt))
  return rows.map(({ id, amount, day, settledAt }) => ({
    ...{ id, amount },
    day: settledAt ? dayFor(school, settledAt) : day,
  }))
}
