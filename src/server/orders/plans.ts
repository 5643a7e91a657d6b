import { and, desc, eq, inArray } from 'drizzle-orm'
import { isNeverAsked } from '../../core/collecting/agreement.ts'
import { currentPhase } from '../../core/collecting/phase.ts'
import { readStoredQuote } from '../../core/quote/stored.ts'
import { namePayment } from '../../core/sentence/sentence.ts'
import type { Terms } from '../../core/terms/terms.ts'
import { type AgreementRow, coreOf, type Scheduled } from '../agreements/agreements.ts'
import { PAYMENTS_IN_ORDER } from '../agreements/inOrder.ts'
import type { Queryable } from '../db/client.ts'
import { agreements, orderLines, orders, payments } from '../db/schema/index.ts'
import { orderTitles } from './status.ts'

/** What an agreement has come to, and what comes next. */
export interface PlanShown {
  id: string
  state: 'active' | 'completed' | 'stopped' | 'cancelled'
  course: string
  offer: string
  method: string | null
  currency: string
  endless: boolean
  payments: PlanPayment[]
  /** The next try, and whether an earlier one failed. */
  next: { pay: number; on: string; isAgain: boolean } | null
}

export interface PlanPayment {
  due: string
  pay: number
  /** What it is for where it is no regular payment: "Set-up fee", "First 7 days". */
  name: string | null
  state: 'collected' | 'to-come' | 'late' | 'written-off'
}

/** A buyer's agreements with what was paid and what comes when, newest first. */
export async function plansOf(db: Queryable, personId: string): Promise<PlanShown[]> {
  const rows = await db
    .select({ row: agreements, currency: orders.currency, line: orderLines })
    .from(agreements)
    .innerJoin(orders, eq(orders.id, agreements.orderId))
    .innerJoin(orderLines, eq(orderLines.id, agreements.lineId))
    .where(eq(agreements.personId, personId))
    .orderBy(desc(agreements.createdAt))
  if (rows.length === 0) return []
  const scheduled = await db
    .select()
    .from(payments)
    .where(
      inArray(
        payments.lineId,
        rows.map(({ row }) => row.lineId),
      ),
    )
    .orderBy(...PAYMENTS_IN_ORDER)
  return rows.map(({ row, currency, line }) => {
    const { terms } = currentPhase(row.phases)
    const numbered = scheduled.filter(({ lineId, n }) => lineId === row.lineId && n > 0)
    const nextPayment = numbered[row.collected]
    return {
      id: row.id,
      state: row.state,
      course: line.title,
      offer: line.offerName,
      method: row.method,
      currency,
      endless: row.endless,
      payments: shownPayments(
        scheduled.filter(({ lineId }) => lineId === row.lineId),
        row,
        terms,
      ),
      next: nextPayment && row.nextTry ? { pay: nextPayment.pay, on: row.nextTry, isAgain: row.tries > 0 } : null,
    }
  })
}

/** A buyer's paid orders, the newest first. */
export async function paidOrdersOf(db: Queryable, personId: string) {
  const rows = await db
    .select({ id: orders.id, number: orders.number, course: orderTitles.course, paidOn: orders.placedOn })
    .from(orders)
    .where(and(eq(orders.personId, personId), eq(orders.state, 'paid')))
    .orderBy(desc(orders.number))
  return rows.map(({ paidOn, ...order }) => ({ ...order, paidOn: paidOn ?? '' }))
}

/** The price terms that a line of an order was sold by. */
export function termsOf(quoteInput: unknown, position: number): Terms {
  const terms = readStoredQuote(quoteInput).lines[position]?.offer.terms
  if (!terms) throw new Error(`There is no quote for line ${position}.`)
  return terms
}

/** The payments of an agreement as its buyer sees them, without those that nobody will ever ask for. */
export function shownPayments(
  all: readonly Pick<Scheduled, 'due' | 'pay' | 'state' | 'n' | 'kind'>[],
  row: AgreementRow,
  terms: Terms,
): PlanPayment[] {
  const agreement = coreOf(row, [])
  return all.filter(({ n }) => !isNeverAsked(agreement, n)).map((payment) => shownPayment(payment, row, terms))
}

/** A payment as its buyer sees it: late is one that was tried and did not come. */
function shownPayment(
  { due, pay, state, n, kind }: Pick<Scheduled, 'due' | 'pay' | 'state' | 'n' | 'kind'>,
  row: AgreementRow,
  terms: Terms,
) {
  const isLate = state === 'due' && n > 0 && row.tries > 0 && n === nextNumber(row)
  const name = namePayment({ kind }, terms)
  return { due, pay, name, state: state === 'due' ? (isLate ? ('late' as const) : ('to-come' as const)) : state }
}

/** Numbered payments are numbered from 1 in due order. */
function nextNumber({ collected }: AgreementRow): number {
  return collected + 1
}
