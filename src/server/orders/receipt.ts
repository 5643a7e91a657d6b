import { and, asc, desc, eq } from 'drizzle-orm'
import { taxRateIn } from '../../core/content/quoteInput.ts'
import { namePayment } from '../../core/sentence/sentence.ts'
import type { Services } from '../context.ts'
import { attempts, orderLines, orders, payments, people, refunds } from '../db/schema/index.ts'
import { notFound } from '../http/problem.ts'
import { dayFor, getSchool, type School } from '../school/service.ts'
import { termsOf } from './plans.ts'

/** One amount that was received or given back; minor units, tax inside. */
export interface ReceiptPayment {
  /** The school's day. */
  day: string
  what: string
  amount: number
  tax: number
  method: string | null
}

/** All that a receipt of an order says. */
export interface ReceiptData {
  school: School
  currency: string
  number: number
  ordered: string
  buyer: { name: string; email: string; postalAddress: string }
  course: string
  offer: string
  /** Basis points. */
  taxRate: number
  /** By the day on which they came; what went back is below zero. */
  payments: ReceiptPayment[]
}

/** What a receipt of a paid order says: every payment that was received for it so far, and what was given back. @throws Problem 404. */
export async function receiptOf({ db }: Services, orderId: string): Promise<ReceiptData> {
  const school = await getSchool(db)
  const [row] = await db
    .select({ order: orders, line: orderLines, person: people })
    .from(orders)
    .innerJoin(orderLines, and(eq(orderLines.orderId, orders.id), eq(orderLines.position, 0)))
    .innerJoin(people, eq(people.id, orders.personId))
    .where(and(eq(orders.id, orderId), eq(orders.state, 'paid')))
  if (!row) throw notFound('receipt')
  const { order, line, person } = row
  const terms = termsOf(order.quoteInput, line.position)
  const numbered = line.quoted.payments.filter(({ n }) => n > 0).length
  const received = await db
    .select({ payment: payments, method: attempts.method })
    .from(payments)
    .leftJoin(attempts, eq(attempts.id, payments.attemptId))
    .where(and(eq(payments.orderId, orderId), eq(payments.state, 'collected')))
    .orderBy(asc(payments.due), asc(payments.n))
  const given = await db
    .select({ refund: refunds, method: attempts.method, tax: payments.tax, pay: payments.pay })
    .from(refunds)
    .innerJoin(attempts, eq(attempts.id, refunds.attemptId))
    .leftJoin(payments, eq(payments.attemptId, refunds.attemptId))
    .where(and(eq(refunds.orderId, orderId), eq(refunds.state, 'refunded')))
    .orderBy(asc(refunds.day), desc(payments.pay))
  const seen = new Set<string>()
  const back = given.flatMap(({ refund, method, tax, pay }): ReceiptPayment[] => {
    // An attempt may have collected several payments; what was given back of it stands once.
    if (seen.has(refund.id)) return []
    seen.add(refund.id)
    const part = pay && tax ? Math.round((tax * refund.amount) / pay) : 0
    return [{ day: refund.day, what: 'Given back', amount: -refund.amount, tax: -part, method }]
  })
  return {
    school,
    currency: order.currency,
    number: order.number,
    ordered: order.quote.purchaseDay,
    buyer: { name: order.buyerName ?? person.name, email: person.email, postalAddress: person.postalAddress },
    course: line.courseTitle,
    offer: line.offerName,
    taxRate: taxRateIn(order.quoteInput),
    payments: [
      ...received
        .filter(({ payment }) => payment.pay > 0)
        .map(({ payment, method }) => {
          const { n, pay: amount, tax, collectedAt, due } = payment
          const of = line.quoted.untilCancelled ? '' : ` of ${numbered}`
          const name =
            namePayment(payment, terms) ??
            (numbered > 1 || line.quoted.untilCancelled ? `Payment ${n}${of}` : 'Payment')
          return { day: collectedAt ? dayFor(school, collectedAt) : due, what: name, amount, tax, method }
        }),
      ...back,
    ].sort((a, b) => (a.day < b.day ? -1 : a.day > b.day ? 1 : 0)),
  }
}
