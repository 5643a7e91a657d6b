import { and, asc, eq, gte, inArray, lt, lte, type SQL, sql } from 'drizzle-orm'
import * as v from 'valibot'
import { addDays, after, type Day, daysBetween } from '../../core/calendar/day.ts'
import { inMode, type Services } from '../context.ts'
import type { Queryable } from '../db/client.ts'
import type { Mode } from '../db/schema/columns.ts'
import { agreements, attempts, connections, offers, orderLines, orders, payments, people } from '../db/schema/index.ts'
import { getSchool, schoolDay } from '../school/service.ts'
import { type Overdue, overdueOf, type Sum, sumsBetween } from './sums.ts'

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
/** Where the page before ended: `<due>|<order>|<id>`. */
const pageAfter = v.optional(
  v.pipe(v.string(), v.regex(/^\d{4}-\d\d-\d\d\|[0-9a-f-]{36}\|[0-9a-f-]{36}$/, 'This page does not exist.')),
)
export const paymentsQuery = v.object({
  month,
  standing: v.optional(v.picklist(STANDINGS)),
  after: pageAfter,
  ...filters,
})
export const lateQuery = v.object({ standing: v.picklist(['late', 'given-up']), after: pageAfter, ...filters })
export type MoneyFilters = v.InferOutput<typeof monthsQuery>

/** So many buyers that fit are looked at. */
const MOST_BUYERS = 50
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

/** What was given back of an attempt for a line stands at the first of the payments that it collected for it. */
const refunded = sql<number>`(case when ${payments.id} = (
  select p.id from payments p where p.attempt_id = ${payments.attemptId} and p.line_id = ${payments.lineId}
  order by p.kind, p.n limit 1
) then coalesce((select sum(r.amount) from refunds r
  where r.attempt_id = ${payments.attemptId} and r.line_id = ${payments.lineId} and r.state = 'refunded'), 0)
else 0 end)::float8`

async function narrowed(
  { db }: Services,
  mode: Mode,
  { course, offer, way, search }: MoneyFilters,
): Promise<SQL | undefined> {
  return and(
    eq(payments.mode, mode),
    eq(orders.state, 'paid'),
    sql`${payments.state} <> 'let-go'`,
    sql`${payments.pay} > 0`,
    course ? ofOffers(await offersOf(db, course)) : undefined,
    offer ? eq(payments.offerId, offer) : undefined,
    way ? eq(connections.adapter, way) : undefined,
    // The buyers are found first: whoever reads by them reads their few orders, and not a year of payments.
    search ? inArray(orders.personId, [...(await findBuyers(db, mode, search)), NOBODY]) : undefined,
  )
}

async function offersOf(db: Queryable, courseId: string): Promise<string[]> {
  const rows = await db.select({ id: offers.id }).from(offers).where(eq(offers.courseId, courseId))
  return rows.map(({ id }) => id)
}

/** One offer's payments lie in their order in an index; those of several are put in order. */
function ofOffers(ids: string[]): SQL {
  const [only = NOBODY, ...more] = ids
  return more.length === 0 ? eq(payments.offerId, only) : inArray(payments.offerId, ids)
}

const NOBODY = '00000000-0000-0000-0000-000000000000'

async function findBuyers(db: Queryable, mode: Mode, search: string): Promise<string[]> {
  const pattern = `%${search.toLowerCase().replace(/[\\%_]/g, '\\$&')}%`
  const rows = await db
    .select({ id: people.id })
    .from(people)
    .where(and(eq(people.mode, mode), sql`(lower(${people.name}) || ' ' || ${people.email}) like ${pattern}`))
    .limit(MOST_BUYERS)
  return rows.map(({ id }) => id)
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
  refunds: number
  late: number
  givenUp: number
  toCome: number
  payments: number
}

/** What is late, by its age. */
export interface Ages {
  upToAWeek: number
  upToAMonth: number
  older: number
  givenUp: number
}

/** What should have come and what came, by the month in which it was due: a year back and a year ahead. */
export async function sumMonths(
  base: Services,
  mode: Mode,
  query: MoneyFilters,
): Promise<{ today: Day; months: MonthSums[]; ages: Ages }> {
  const services = await inMode(base, mode)
  const today = await schoolDay(services)
  const start = `${after(`${today.slice(0, 7)}-01`, -MONTHS_BACK, { count: 1, unit: 'month' }).slice(0, 7)}-01`
  const names = Array.from({ length: MONTHS_BACK + MONTHS_AHEAD + 1 }, (_, n) =>
    after(start, n, { count: 1, unit: 'month' }).slice(0, 7),
  )
  const found = query.search
    ? await sumsOfBuyers(services, mode, today, query)
    : await sumsOfAll(services, mode, today, query, names)
  const months = names.map((month) => {
    const {
      received = 0,
      fees = 0,
      refunds = 0,
      due = 0,
      payments: n = 0,
    } = found.sums.find((sum) => sum.month === month) ?? {}
    const overdue = (standing: Overdue['standing']) =>
      found.overdue
        .filter((row) => row.month === month && row.standing === standing)
        .reduce((sum, { pay }) => sum + pay, 0)
    const [late, givenUp] = [overdue('late'), overdue('given-up')]
    return {
      month,
      expected: received + due,
      received,
      fees,
      refunds,
      late,
      givenUp,
      toCome: due - late - givenUp,
      payments: n,
    }
  })
  return { today, months, ages: agesOf(found.overdue) }
}

interface Found {
  sums: Sum[]
  overdue: Overdue[]
}

async function sumsOfAll(
  { db }: Services,
  mode: Mode,
  today: Day,
  query: MoneyFilters,
  names: string[],
): Promise<Found> {
  const [sums, overdue] = await Promise.all([
    sumsBetween(db, mode, names[0] as string, names.at(-1) as string, query),
    overdueOf(db, mode, today, query),
  ])
  return { sums, overdue }
}

/** The same for a few buyers: read from their payments. */
async function sumsOfBuyers(services: Services, mode: Mode, today: Day, query: MoneyFilters): Promise<Found> {
  const rows = await readPayments(services, today, await narrowed(services, mode, query))
  const sums = new Map<string, Sum>()
  for (const row of rows) {
    const month = row.due.slice(0, 7)
    const sum = sums.get(month) ?? { month, received: 0, fees: 0, refunds: 0, due: 0, payments: 0 }
    sums.set(month, sum)
    if (row.standing === 'received') sum.received += row.pay
    else sum.due += row.pay
    sum.fees += row.fee
    sum.refunds += row.refunded
    sum.payments++
  }
  const overdue = rows.flatMap(({ due, pay, standing }) =>
    standing === 'late' || standing === 'given-up'
      ? [{ month: due.slice(0, 7), standing, pay, days: daysBetween(due, today) }]
      : [],
  )
  return { sums: [...sums.values()], overdue }
}

function agesOf(overdue: readonly Overdue[]): Ages {
  const sum = (is: (row: Overdue) => boolean) => overdue.filter(is).reduce((all, { pay }) => all + pay, 0)
  const isLate = ({ standing }: Overdue) => standing === 'late'
  return {
    upToAWeek: sum((row) => isLate(row) && row.days <= 7),
    upToAMonth: sum((row) => isLate(row) && row.days > 7 && row.days <= 30),
    older: sum((row) => isLate(row) && row.days > 30),
    givenUp: sum((row) => !isLate(row)),
  }
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
  /** What was given back of it. */
  refunded: number
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

/** So many payments are read at a time. */
const PAGE = 100

/** The payments of one month, in the order of their days, a page at a time by the last one seen. */
export async function listPayments(
  base: Services,
  mode: Mode,
  { month: name, after: last, standing: only, ...query }: v.InferOutput<typeof paymentsQuery>,
): Promise<{ payments: MoneyRow[]; next: string | null }> {
  const services = await inMode(base, mode)
  const today = await schoolDay(services)
  const from = `${name}-01`
  const until = after(from, 1, { count: 1, unit: 'month' })
  const where = and(
    await narrowed(services, mode, query),
    gte(payments.due, from),
    lt(payments.due, until),
    only ? eq(standing(today), only) : undefined,
    only === 'late' || only === 'given-up' ? await overdueLines(services, mode, today, only) : undefined,
    beyond(last),
  )
  const isOverdue = only === 'late' || only === 'given-up'
  return pageOf(
    isOverdue ? await readFew(services, today, where) : await readPayments(services, today, where, PAGE + 1),
  )
}

/**
 * The lines of agreements of which something is late, or was given up: few, and found by indexes of their own. Their
 * payments are read by them; left to itself, PostgreSQL would read every payment and look for the few.
 */
async function overdueLines({ db }: Services, mode: Mode, today: Day, standing: Overdue['standing']): Promise<SQL> {
  const of = (where: SQL | undefined) =>
    db
      .select({ id: agreements.lineId })
      .from(agreements)
      .where(and(eq(agreements.mode, mode), where))
  const found =
    standing === 'given-up'
      ? [await of(eq(agreements.state, 'stopped'))]
      : await Promise.all([
          of(and(eq(agreements.state, 'active'), sql`${agreements.tries} > 0`)),
          of(and(eq(agreements.state, 'active'), lt(agreements.nextTry, today))),
        ])
  const ids = found.flat().map(({ id }) => id)
  return sql`${payments.lineId} = any(${sql.param(ids)}::uuid[])`
}

/** Everything late, or given up, whenever it was due, the oldest first, a page at a time. */
export async function listLate(
  base: Services,
  mode: Mode,
  { after: last, standing: only, ...query }: v.InferOutput<typeof lateQuery>,
): Promise<{ payments: MoneyRow[]; next: string | null }> {
  const services = await inMode(base, mode)
  const today = await schoolDay(services)
  const where = and(
    await narrowed(services, mode, query),
    eq(payments.state, 'due'),
    await overdueLines(services, mode, today, only),
    only === 'late' ? lte(payments.due, today) : undefined,
    eq(standing(today), only),
    beyond(last),
  )
  return pageOf(await readFew(services, today, where))
}

/** Only what comes after the last one seen. */
function beyond(last: string | undefined): SQL | undefined {
  const [due, orderId, id] = last?.split('|') ?? []
  return due
    ? sql`(${payments.due}, ${payments.orderId}, ${payments.id}) > (${due}, ${orderId}::uuid, ${id}::uuid)`
    : undefined
}

function pageOf(rows: MoneyRow[]): { payments: MoneyRow[]; next: string | null } {
  const page = rows.slice(0, PAGE)
  const end = page.at(-1)
  return { payments: page, next: rows.length > PAGE && end ? `${end.due}|${end.orderId}|${end.id}` : null }
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
  const where = and(await narrowed(services, mode, query), gte(payments.due, from), lt(payments.due, until))
  const rows = await readPayments(services, today, where)
  return rows.sort((a, b) => (a.due < b.due ? -1 : a.due > b.due ? 1 : a.number - b.number || a.n - b.n))
}

/**
 * Payments of few agreements, in the order of their days: found first, and read with all that they are told by then.
 * In one step PostgreSQL would work out for all what is told of a page.
 */
async function readFew(services: Services, today: Day, where: SQL | undefined): Promise<MoneyRow[]> {
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
async function readPayments(
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
      course: orderLines.courseTitle,
      offer: orderLines.offerName,
      way: connections.adapter,
      method: sql<string | null>`coalesce(${attempts.method}, ${agreements.method})`,
      pay: payments.pay,
      tax: payments.tax,
      fee,
      refunded,
      currency: orders.currency,
      standing: standing(today),
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
