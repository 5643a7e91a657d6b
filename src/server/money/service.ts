import { and, asc, eq, gte, ilike, lt, or, type SQL, sql } from 'drizzle-orm'
import * as v from 'valibot'
import { addDays, after, type Day, daysBetween } from '../../core/calendar/day.ts'
import { inMode, type Services } from '../context.ts'
import type { Mode } from '../db/schema/columns.ts'
import { agreements, attempts, connections, offers, orderLines, orders, payments, people } from '../db/schema/index.ts'
import { getSchool, schoolDay } from '../school/service.ts'

/** How a scheduled payment stands on a day. */
export const STANDINGS = ['received', 'late', 'given-up', 'to-come'] as const
export type Standing = (typeof STANDINGS)[number]

const uuid = v.pipe(v.string(), v.uuid('There is no such thing to look for.'))
/** What narrows the money that is looked at. */
const filters = {
  course: v.optional(uuid),
  offer: v.optional(uuid),
  way: v.optional(v.pipe(v.string(), v.maxLength(40))),
  search: v.optional(v.pipe(v.string(), v.trim(), v.maxLength(100)), ''),
}
export const monthsQuery = v.object(filters)
const month = v.pipe(v.string(), v.regex(/^\d{4}-(0[1-9]|1[0-2])$/, 'A month looks like 2026-11.'))
export const paymentsQuery = v.object({ month, ...filters })
export type MoneyFilters = v.InferOutput<typeof monthsQuery>

/** A year back and a year ahead, whole months. */
const MONTHS_BACK = 11
const MONTHS_AHEAD = 12

/**
 * Where a payment stands: received; late (due, and not collected at its first try); given up (its agreement
 * has stopped, though it is still owed); or to come. What was let go is expected no more, and left out.
 */
const standing = (today: Day) => sql<Standing>`case
  when ${payments.state} = 'collected' then 'received'
  when ${agreements.state} = 'stopped' then 'given-up'
  when ${payments.due} <= ${today} and ${agreements.tries} > 0 then 'late'
  when ${payments.due} < ${today} then 'late'
  else 'to-come' end`

/** The fee of an attempt stands at the first of the payments that it collected, so that sums hold to the cent. */
const fee = sql<number>`(case when ${payments.id} = (
  select p.id from payments p where p.attempt_id = ${payments.attemptId} order by p.line_id, p.kind, p.n limit 1
) then coalesce(${attempts.fee}, 0) else 0 end)::float8`

function narrowed(mode: Mode, { course, offer, way, search }: MoneyFilters): SQL | undefined {
  const pattern = `%${search.replace(/[\\%_]/g, '\\$&')}%`
  return and(
    eq(orders.mode, mode),
    eq(orders.state, 'paid'),
    sql`${payments.state} <> 'let-go'`,
    sql`${payments.pay} > 0`,
    course ? eq(offers.courseId, course) : undefined,
    offer ? eq(orderLines.offerId, offer) : undefined,
    way ? eq(connections.adapter, way) : undefined,
    search ? or(ilike(people.name, pattern), ilike(people.email, pattern)) : undefined,
  )
}

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
        .leftJoin(connections, sql`${connections.id} = coalesce(${attempts.connectionId}, ${agreements.connectionId})`),
  }
}

export interface MonthSums {
  month: string
  expected: number
  received: number
  fees: number
  late: number
  givenUp: number
  toCome: number
  payments: number
}

/** What should have come and what came, by the month in which it was due: a year back and a year ahead. */
export async function sumMonths(
  base: Services,
  mode: Mode,
  query: MoneyFilters,
): Promise<{ today: Day; months: MonthSums[] }> {
  const services = await inMode(base, mode)
  const today = await schoolDay(services)
  const first = `${after(`${today.slice(0, 7)}-01`, -MONTHS_BACK, { count: 1, unit: 'month' }).slice(0, 7)}-01`
  const end = after(`${today.slice(0, 7)}-01`, MONTHS_AHEAD + 1, { count: 1, unit: 'month' })
  const rows = (await scheduled(services)
    .from({
      month: sql<string>`to_char(${payments.due}, 'YYYY-MM')`,
      standing: standing(today),
      pay: sql<number>`sum(${payments.pay})::float8`,
      fees: sql<number>`sum(${fee})::float8`,
      count: sql<number>`count(*)::int`,
    })
    .where(and(narrowed(mode, query), gte(payments.due, first), lt(payments.due, end)))
    .groupBy(sql`1, 2`)) as unknown as { month: string; standing: Standing; pay: number; fees: number; count: number }[]
  const months: MonthSums[] = []
  for (let n = 0; n <= MONTHS_BACK + MONTHS_AHEAD; n++) {
    const name = after(first, n, { count: 1, unit: 'month' }).slice(0, 7)
    const of = rows.filter((row) => row.month === name)
    const sum = (pick: (row: (typeof rows)[number]) => number, which?: Standing) =>
      of.filter((row) => which === undefined || row.standing === which).reduce((all, row) => all + pick(row), 0)
    months.push({
      month: name,
      expected: sum(({ pay }) => pay),
      received: sum(({ pay }) => pay, 'received'),
      fees: sum(({ fees }) => fees),
      late: sum(({ pay }) => pay, 'late'),
      givenUp: sum(({ pay }) => pay, 'given-up'),
      toCome: sum(({ pay }) => pay, 'to-come'),
      payments: sum(({ count }) => count),
    })
  }
  return { today, months }
}

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
  way: string | null
  method: string | null
  pay: number
  tax: number
  fee: number
  currency: string
  standing: Standing
  /** Days since it was due, where it is late or given up. */
  daysLate: number
  /** What was needed: 1 where it came at the first try. */
  tries: number
  collectedAt: Date | null
  /** The day of the next try, where it is late. */
  nextTry: Day | null
}

/** The payments of one month, in the order of their days. */
export async function listPayments(
  base: Services,
  mode: Mode,
  { month: name, ...query }: v.InferOutput<typeof paymentsQuery>,
) {
  const from = `${name}-01`
  return { payments: await paymentsBetween(base, mode, from, after(from, 1, { count: 1, unit: 'month' }), query) }
}

/** Payments due from one day up to, but not on, another. */
export async function paymentsBetween(
  base: Services,
  mode: Mode,
  from: Day,
  until: Day,
  query: MoneyFilters,
): Promise<MoneyRow[]> {
  const services = await inMode(base, mode)
  const today = await schoolDay(services)
  const rows = (await scheduled(services)
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
      course: orderLines.courseTitle,
      offer: orderLines.offerName,
      way: connections.adapter,
      method: sql<string | null>`coalesce(${attempts.method}, ${agreements.method})`,
      pay: payments.pay,
      tax: payments.tax,
      fee,
      currency: orders.currency,
      standing: standing(today),
      tries: sql<number>`(select count(*)::int from attempts a
        where a.agreement_id = ${agreements.id} and a.from_n <= ${payments.n} and a.to_n >= ${payments.n} and ${payments.n} > 0)`,
      collectedAt: payments.collectedAt,
      nextTry: agreements.nextTry,
    })
    .where(and(narrowed(mode, query), gte(payments.due, from), lt(payments.due, until)))
    .orderBy(asc(payments.due), asc(orders.number), asc(payments.n))) as unknown as (Omit<
    MoneyRow,
    'daysLate' | 'of'
  > & {
    count: number | null
  })[]
  return rows.map(({ count, ...row }) => ({
    ...row,
    of: count,
    daysLate: row.standing === 'late' || row.standing === 'given-up' ? Math.max(0, daysBetween(row.due, today)) : 0,
    nextTry: row.standing === 'late' ? row.nextTry : null,
  }))
}

/** Everything that is still to come within a year, for a calendar. */
export async function paymentsToCome(base: Services, mode: Mode): Promise<{ rows: MoneyRow[]; schoolName: string }> {
  const services = await inMode(base, mode)
  const today = await schoolDay(services)
  const { name } = await getSchool(base.db)
  const until = addDays(after(today, 1, { count: 1, unit: 'year' }), 1)
  const rows = await paymentsBetween(base, mode, today, until, { search: '' })
  return { rows: rows.filter((row) => row.standing === 'to-come'), schoolName: name }
}
