import { and, asc, eq, gt, inArray, ne, sql } from 'drizzle-orm'
import { after, type Day } from '../../core/calendar/day.ts'
import { type AccessBasis, closesAsItStands, suspendedForDebt } from '../../core/collecting/access.ts'
import { type Agreement, nextTryOf, owes } from '../../core/collecting/agreement.ts'
import { currentPhase, type Phase, paymentsOf } from '../../core/collecting/phase.ts'
import { openingOn } from '../../core/quote/courseDay.ts'
import type { Queryable, Transaction } from '../db/client.ts'
import { updateAll } from '../db/insertAll.ts'
import {
  agreements,
  grants,
  OPEN_ATTEMPTS,
  orderLines,
  orders,
  payments,
  products,
  refunds,
  school,
} from '../db/schema/index.ts'
import { notFound } from '../http/problem.ts'

export type AgreementRow = typeof agreements.$inferSelect

/** Of an order and its line only what an agreement asks: every payment collected reads them. */
const ORDER = {
  id: orders.id,
  mode: orders.mode,
  number: orders.number,
  personId: orders.personId,
  currency: orders.currency,
}
const LINE = {
  id: orderLines.id,
  offerId: orderLines.offerId,
  title: orderLines.title,
  offerName: orderLines.offerName,
  /** The product's name in the books. */
  product: products.bookName,
}
const OPEN = sql.join(
  OPEN_ATTEMPTS.map((state) => sql`${state}`),
  sql`, `,
)
const BESIDE = {
  retryAfterDays: school.retryAfterDays,
  isUnderWay: sql<boolean>`exists (select 1 from attempts t
    where t.agreement_id = ${agreements.id} and t.state in (${OPEN}))`,
  opened: sql<{ id: string; opens: Day }[]>`coalesce((select jsonb_agg(jsonb_build_object('id', g.id, 'opens', g.opens))
    from ${grants} g where g.line_id = ${agreements.lineId} and g.ended_at is null), '[]')`,
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
type AgreedLine = Pick<typeof orderLines.$inferSelect, Exclude<keyof typeof LINE, 'product'>> & { product: string }
export type Scheduled = Pick<typeof payments.$inferSelect, keyof typeof SCHEDULED>

/** An agreement as it is stored, and as the core sees it. */
export interface LoadedAgreement {
  row: AgreementRow
  order: AgreedOrder
  line: AgreedLine
  /** The numbered payments in due order. */
  scheduled: Scheduled[]
  agreement: Agreement
  /** What it charges and opens by now. */
  phase: Phase
  /** The school's policy at this moment. */
  retryAfterDays: readonly number[]
  /** An attempt of it is under way. */
  isUnderWay: boolean
  /** The grants of the courses that it pays for. None: the creator has shut all of them. */
  opened: readonly { id: string; opens: Day }[]
}

/** Payments to come that are kept listed of what goes on until cancelled, at least … */
const MIN_AHEAD = 3
/** … and at most. */
const MAX_AHEAD = 120

/**
 * Locks the order of an agreement, which is the lock for all that happens to it, and reads how it stands.
 * @throws Problem 404 where there is none.
 */
export async function holdAgreement(tx: Transaction, id: string): Promise<LoadedAgreement> {
  const [held] = await holdAgreements(tx, [id])
  if (!held) throw notFound('agreement')
  return held
}

/** The same for several; those that are not there are left out. Their orders are locked in one order, so that there is no deadlock. */
export async function holdAgreements(tx: Transaction, ids: readonly string[]): Promise<LoadedAgreement[]> {
  const ofAgreements = tx
    .select({ id: agreements.orderId })
    .from(agreements)
    .where(sql`${agreements.id} = any(${sql.param([...ids])}::uuid[])`)
  await tx
    .select({ id: orders.id })
    .from(orders)
    .where(inArray(orders.id, ofAgreements))
    .orderBy(asc(orders.id))
    .for('no key update')
  return readAgreements(tx, ids)
}

/** How an agreement stands. @throws Problem 404 where there is none. */
export async function readAgreement(db: Queryable, id: string): Promise<LoadedAgreement> {
  const [held] = await readAgreements(db, [id])
  if (!held) throw notFound('agreement')
  return held
}

/** How several stand; those that are not there are left out. */
export async function readAgreements(db: Queryable, ids: readonly string[]): Promise<LoadedAgreement[]> {
  const found = await db
    .select({ row: agreements, order: ORDER, line: LINE, ...BESIDE })
    .from(agreements)
    .innerJoin(orders, eq(orders.id, agreements.orderId))
    .innerJoin(orderLines, eq(orderLines.id, agreements.lineId))
    .innerJoin(products, eq(products.id, orderLines.productId))
    .innerJoin(school, sql`true`)
    .where(sql`${agreements.id} = any(${sql.param([...ids])}::uuid[])`)
  if (found.length === 0) return []
  const scheduled = await db
    .select({ lineId: payments.lineId, ...SCHEDULED })
    .from(payments)
    .where(
      and(sql`${payments.lineId} = any(${sql.param(found.map(({ line }) => line.id))}::uuid[])`, gt(payments.n, 0)),
    )
    .orderBy(asc(payments.due), asc(payments.n))
  const byLine = new Map<string, Scheduled[]>()
  for (const { lineId, ...payment } of scheduled) {
    const of = byLine.get(lineId) ?? []
    byLine.set(lineId, of)
    of.push(payment)
  }
  return found.map((one) => withSchedule(one, byLine.get(one.line.id) ?? []))
}

function withSchedule(
  found: Pick<LoadedAgreement, 'row' | 'order' | 'line' | 'retryAfterDays' | 'isUnderWay' | 'opened'>,
  scheduled: Scheduled[],
): LoadedAgreement {
  return { ...found, scheduled, phase: currentPhase(found.row.phases), agreement: coreOf(found.row, scheduled) }
}

/** An agreement in the core's own shape. */
export function coreOf(row: AgreementRow, scheduled: readonly Scheduled[]): Agreement {
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

/**
 * Until when the course is open as an agreement stands, for its grant.
 * @param paidBefore number of regular payments that the purchase paid; it counts where there is no agreement.
 */
export function grantDates(basis: AccessBasis, agreement: Agreement | null, paidBefore = 0) {
  return {
    closes: closesAsItStands(basis, agreement, paidBefore),
    suspendedFrom: suspendedForDebt(basis, agreement),
  }
}

/**
 * Stores what became of an agreement, in the caller's transaction: the row, more payments where it goes
 * on, those no longer expected, and until when its courses are open.
 */
export async function saveAgreement(tx: Transaction, held: LoadedAgreement, next: Agreement): Promise<Agreement> {
  const [listed] = await saveAgreements(tx, [{ held, next }])
  return listed as Agreement
}

/** The same for several, with as many statements as for one. @returns them with the payments that are listed now. */
export async function saveAgreements(
  tx: Transaction,
  all: readonly { held: LoadedAgreement; next: Agreement }[],
): Promise<Agreement[]> {
  const ahead = all.map(({ held, next }) => paymentsAhead(held, next))
  const listed = all.map(({ next }, index) => {
    const more = ahead[index] ?? []
    return more.length > 0 ? { ...next, payments: [...next.payments, ...more] } : next
  })
  const more = all.flatMap(({ held: { order, line } }, index) =>
    (ahead[index] ?? []).map((payment) => ({
      ...payment,
      mode: order.mode,
      offerId: line.offerId,
      orderId: order.id,
      lineId: line.id,
      state: 'due' as const,
    })),
  )
  const ended = all.flatMap(({ held }, index) => (owes(listed[index] as Agreement) ? [] : [held.line.id]))
  await Promise.all([
    updateAll(
      tx,
      agreements,
      'id',
      all.map(({ held }, index) => ({
        id: held.row.id,
        ...storedOf(listed[index] as Agreement, held.retryAfterDays),
      })),
    ),
    updateAll(
      tx,
      grants,
      'id',
      all.flatMap(({ held }, index) =>
        held.opened.map(({ id, opens }) => ({
          id,
          ...grantDates(openingOn(held.phase, opens), listed[index] as Agreement),
        })),
      ),
      'endedAt',
    ),
    ...(more.length > 0 ? [tx.insert(payments).values(more)] : []),
    ...(ended.length > 0
      ? [
          tx
            .update(payments)
            .set({ state: 'written-off' })
            .where(and(inArray(payments.lineId, ended), eq(payments.state, 'due'))),
        ]
      : []),
  ])
  return listed
}

/** More payments of what goes on until cancelled, so that a year's worth always stands ahead. */
function paymentsAhead({ phase }: LoadedAgreement, next: Agreement): Agreement['payments'][number][] {
  const { terms, anchor } = phase
  if (!next.endless || next.state !== 'active' || terms.kind !== 'subscription') return []
  const yearOn = after(next.lastCollected, 1, { count: 1, unit: 'year' })
  let horizon = next.collected + MIN_AHEAD
  while (horizon < next.collected + MAX_AHEAD && after(anchor, horizon, terms.every) <= yearOn) horizon++
  return paymentsOf(phase, next.payments.length + 1, horizon)
}

/** Whether money of a line was refunded, or a refund is under way: then a cancellation cannot be undone. */
export async function hasRefund(db: Queryable, lineId: string): Promise<boolean> {
  return (await db.$count(refunds, and(eq(refunds.lineId, lineId), ne(refunds.state, 'refused')))) > 0
}
