import { and, asc, eq, isNotNull, sql } from 'drizzle-orm'
import { nameReceived } from '../../core/content/receiptRows.ts'
import { VAT } from '../../core/ledger/accounts.ts'
import { readStoredQuote } from '../../core/quote/stored.ts'
import { RECEIPT } from '../../core/words/en/receipt.ts'
import { say } from '../../core/words/message.ts'
import { PAYMENTS_IN_ORDER } from '../agreements/inOrder.ts'
import type { Queryable } from '../db/client.ts'
import { attempts, chargedAgain, ledger, orderLines, orders, payments, people, refunds } from '../db/schema/index.ts'
import { notFound } from '../http/problem.ts'
import type { Services } from '../platform/context.ts'
import { dayFor, getSchool, type School } from '../school/service.ts'
import { amountsOf, type OrderAmounts } from './bought.ts'

/** One amount that was received or given back; minor units, tax inside. */
export interface ReceiptPayment {
  /** The school's day. */
  day: string
  what: string
  amount: number
  tax: number
  /** Basis points. */
  taxRate: number
  method: string | null
}

/** All that a receipt of an order says. */
export interface ReceiptData extends Omit<OrderAmounts, 'quote'> {
  school: School
  currency: string
  number: number
  ordered: string
  buyer: { name: string; email: string; postalAddress: string }
  /** By the day on which they came; what went back is below zero. */
  payments: ReceiptPayment[]
}

/** What a receipt of a paid order says: every payment that was received for it so far, and what was given back. @throws Problem 404. */
export async function receiptOf({ db }: Services, orderId: string): Promise<ReceiptData> {
  const school = await getSchool(db)
  const [row] = await db
    .select({ order: orders, person: people })
    .from(orders)
    .innerJoin(people, eq(people.id, orders.personId))
    .where(and(eq(orders.id, orderId), eq(orders.state, 'paid')))
  if (!row) throw notFound('receipt')
  const { order, person } = row
  const lines = await db
    .select()
    .from(orderLines)
    .where(eq(orderLines.orderId, orderId))
    .orderBy(asc(orderLines.position))
  const request = readStoredQuote(order.quoteInput)
  const lineOf = (id: string) => {
    const line = lines.find((other) => other.id === id)
    const asked = line && request.lines[line.position]
    if (!line || !asked) throw new Error(`Order ${order.number} has no line ${id}.`)
    return { line, terms: asked.offer.terms, taxRate: asked.offer.taxRate ?? request.tax.rate }
  }
  /** Of several things each row says which it is of. */
  const ofThing = (course: string, what: string) => (lines.length > 1 ? say(RECEIPT.of, { course, what }) : what)
  const received = await db
    .select({ payment: payments, method: attempts.method })
    .from(payments)
    .leftJoin(attempts, eq(attempts.id, payments.attemptId))
    .where(and(eq(payments.orderId, orderId), eq(payments.state, 'collected')))
    .orderBy(...PAYMENTS_IN_ORDER)
  const given = await db
    .select({ refund: refunds, method: attempts.method })
    .from(refunds)
    .innerJoin(attempts, eq(attempts.id, refunds.attemptId))
    .where(and(eq(refunds.orderId, orderId), eq(refunds.state, 'refunded')))
    .orderBy(asc(refunds.createdAt), asc(refunds.id))
  const [back, again] = await Promise.all([taxesGivenBack(db, orderId), againOf(db, orderId)])
  return {
    school,
    currency: order.currency,
    number: order.number,
    ordered: order.quote.purchaseDay,
    buyer: { name: order.buyerName ?? person.name, email: person.email, postalAddress: person.postalAddress },
    ...amountsOf(
      order,
      lines.map((line) => ({ line, isPaidTwice: line.duplicateOf !== null })),
      school,
    ),
    payments: [
      ...received
        .filter(({ payment }) => payment.pay > 0)
        .map(({ payment, method }): ReceiptPayment => {
          const { pay: amount, tax, collectedAt, due } = payment
          const { line, terms, taxRate } = lineOf(payment.lineId)
          const name = nameReceived(payment, terms, line.quoted)
          const day = collectedAt ? dayFor(school, collectedAt) : due
          const isOwed = line.duplicateOf === null
          const what = ofThing(line.title, isOwed ? name : say(RECEIPT.twice, { what: name }))
          return { day, what, amount, tax: isOwed ? tax : 0, taxRate, method }
        }),
      ...given.map(({ refund, method }): ReceiptPayment => {
        const { line, taxRate } = lineOf(refund.lineId)
        const tax = -(back.get(refund.id) ?? 0)
        return {
          day: refund.day,
          what: ofThing(line.title, RECEIPT.refund),
          amount: -refund.amount,
          tax,
          taxRate,
          method,
        }
      }),
      // Their sale, and its tax, is that of the first payment.
      ...again.flatMap(({ lineId, amount, method, refundedOn, at }): ReceiptPayment[] => {
        const { line, taxRate } = lineOf(lineId)
        const of = { tax: 0, taxRate, method }
        const charged = { ...of, day: at ? dayFor(school, at) : refundedOn, amount }
        return [
          { ...of, day: refundedOn, amount: -amount, what: ofThing(line.title, RECEIPT.refundedAnd) },
          { ...charged, what: ofThing(line.title, RECEIPT.again) },
        ]
      }),
    ].sort((a, b) => (a.day < b.day ? -1 : a.day > b.day ? 1 : 0)),
  }
}

/** What was charged again of payments that were refunded as a whole. */
function againOf(db: Queryable, orderId: string) {
  const ofOrder = and(eq(refunds.orderId, orderId), eq(refunds.state, 'refunded'))
  return db
    .selectDistinct({
      lineId: chargedAgain.lineId,
      amount: chargedAgain.amount,
      refundedOn: refunds.day,
      at: attempts.settledAt,
      method: attempts.method,
    })
    .from(refunds)
    .innerJoin(attempts, eq(attempts.id, refunds.awaitsId))
    .innerJoin(chargedAgain, eq(chargedAgain.attemptId, attempts.id))
    .where(ofOrder)
}

/** The tax in what was given back, by refund, as it was booked. */
async function taxesGivenBack(db: Queryable, orderId: string): Promise<Map<string, number>> {
  const rows = await db
    .select({ id: ledger.subjectId, tax: sql<number>`sum(${ledger.amount})::float8` })
    .from(ledger)
    .where(and(eq(ledger.orderId, orderId), eq(ledger.account, VAT), isNotNull(ledger.subjectId)))
    .groupBy(ledger.subjectId)
  return new Map(rows.map(({ id, tax }) => [id as string, tax]))
}
