import { asc, eq, type SQL, sql } from 'drizzle-orm'
import { type Day, daysBetween } from '../../core/calendar/day.ts'
import { agreements, attempts, connections, offers, orderLines, orders, payments, people } from '../db/schema/index.ts'
import type { Services } from '../platform/context.ts'
import { awaitedBy, status } from './finding.ts'
import { PAGE, type PaymentStatus } from './query.ts'

/** A scheduled payment with all that is told of it. */
export interface MoneyRow {
  id: string
  orderId: string
  number: number
  agreementId: string | null
  due: Day
  n: number
  /** How many numbered payments there are; null where it goes on. */
  of: number | null
  kind: 'regular' | 'deposit' | 'setup' | 'trial'
  buyer: string
  email: string
  course: string
  offer: string
  /** Its article number; empty where it has none. */
  sku: string
  paymentMethod: string | null
  method: string | null
  pay: number
  tax: number
  fee: number
  /** What was given back of it. */
  refunded: number
  /** The gateway’s, of the attempt that collected it. */
  reference: string | null
  currency: string
  status: PaymentStatus
  /** Days since it was due, where it is awaited, late or given up. */
  daysLate: number
  /** The part of it that was received, where the rest is awaited. */
  came: number
  /** What was needed: 1 where it came at the first try. */
  tries: number
  collectedAt: Date | null
  /** The day of the next try, where it is late. */
  nextTry: Day | null
}

const WAITED_FOR: ReadonlySet<PaymentStatus> = new Set(['awaited', 'late', 'given-up'])

/** What was given back of a payment, or lost in a dispute. */
const refunded = sql<number>`coalesce((select -sum(b.amount) from ledger b
  where b.payment_id = ${payments.id} and b.kind in ('refund', 'dispute') and b.account like 'assets:%'
    and exists (select from refunds r where r.id = b.subject_id)), 0)::float8`

/** Payments with all that they are told by. */
function scheduled(services: Services) {
  return {
    from: <T extends Record<string, unknown>>(columns: T) =>
      services.db
        .select(columns as never)
        .from(payments)
        .innerJoin(orders, eq(orders.id, payments.orderId))
        .innerJoin(people, eq(people.id, orders.personId))
        .innerJoin(orderLines, eq(orderLines.id, payments.lineId))
        .innerJoin(offers, eq(offers.id, orderLines.offerId))
        .leftJoin(agreements, eq(agreements.lineId, payments.lineId))
        .leftJoin(attempts, eq(attempts.id, payments.attemptId))
        .leftJoin(
          connections,
          sql`${connections.id} = coalesce(${attempts.connectionId}, ${agreements.connectionId}, ${awaitedBy})`,
        ),
  }
}

/**
 * Payments of few agreements, in the order of their days: found first, and read with all that they are told by then.
 * In one step PostgreSQL would work out for all what is told of a page.
 */
export async function readFew(services: Services, today: Day, where: SQL | undefined): Promise<MoneyRow[]> {
  const found = await services.db
    .select({ id: payments.id })
    .from(payments)
    .innerJoin(orders, eq(orders.id, payments.orderId))
    .innerJoin(agreements, eq(agreements.lineId, payments.lineId))
    .innerJoin(connections, eq(connections.id, agreements.connectionId))
    .where(where)
    .orderBy(sql`${payments.due} + 0`, asc(payments.orderId), asc(payments.id))
    .limit(PAGE + 1)
  return readPayments(services, today, sql`${payments.id} = any(${sql.param(found.map(({ id }) => id))}::uuid[])`)
}

/** Payments with all that they are told by, in the order of their days. */
export async function readPayments(
  services: Services,
  today: Day,
  where: SQL | undefined,
  most?: number,
): Promise<MoneyRow[]> {
  const read = scheduled(services)
    .from({
      id: payments.id,
      orderId: orders.id,
      number: orders.number,
      agreementId: agreements.id,
      due: payments.due,
      n: payments.n,
      count: sql<number | null>`case when ${agreements.endless} then null else
        (select count(*)::int from payments p where p.line_id = ${payments.lineId} and p.n > 0) end`,
      kind: payments.kind,
      buyer: people.name,
      email: people.email,
      course: orderLines.title,
      offer: orderLines.offerName,
      sku: sql<string>`coalesce(${offers.live}, ${offers.draft})->>'sku'`,
      paymentMethod: connections.adapter,
      method: sql<string | null>`coalesce(${attempts.method}, ${agreements.method})`,
      pay: payments.pay,
      tax: payments.tax,
      fee: payments.fee,
      refunded,
      reference: attempts.reference,
      currency: orders.currency,
      status: status(today),
      came: sql<number>`(case when ${orders.state} = 'paid' then 0 else coalesce((
        select sum(t.amount) from transfers t join attempts w on w.id = t.attempt_id
        where w.order_id = ${orders.id} and w.state = 'awaiting' and t.taken_back_at is null), 0) end)::float8`,
      tries: sql<number>`(select count(*)::int from attempts a
        where a.agreement_id = ${agreements.id} and a.from_n <= ${payments.n} and a.to_n >= ${payments.n} and ${payments.n} > 0)`,
      collectedAt: payments.collectedAt,
      nextTry: agreements.nextTry,
    })
    .where(where)
    .orderBy(asc(payments.due), asc(payments.orderId), asc(payments.id))
  const rows = (await (most === undefined ? read : read.limit(most))) as unknown as (Omit<
    MoneyRow,
    'daysLate' | 'of'
  > & { count: number | null })[]
  return rows.map(({ count, ...row }) => ({
    ...row,
    of: count,
    daysLate: WAITED_FOR.has(row.status) ? Math.max(0, daysBetween(row.due, today)) : 0,
    nextTry: row.status === 'late' ? row.nextTry : null,
  }))
}

/** Only what comes after the last one seen. */
export function beyond(last: string | undefined): SQL | undefined {
  const [due, orderId, id] = last?.split('|') ?? []
  return due
    ? sql`(${payments.due}, ${payments.orderId}, ${payments.id}) > (${due}, ${orderId}::uuid, ${id}::uuid)`
    : undefined
}

/** The first page of what was read, and where the next begins. */
export function pageOf(rows: MoneyRow[]): { payments: MoneyRow[]; next: string | null } {
  const page = rows.slice(0, PAGE)
  const end = page.at(-1)
  return { payments: page, next: rows.length > PAGE && end ? `${end.due}|${end.orderId}|${end.id}` : null }
}
