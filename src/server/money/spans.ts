import type * as v from 'valibot'
import { addDays, after, type Day, daysBetween } from '../../core/calendar/day.ts'
import { inMode, type Services } from '../context.ts'
import type { Mode } from '../db/schema/columns.ts'
import { schoolDay } from '../school/service.ts'
import { type DaySpan, type MoneyFilters, paymentsOfBuyers, type spanQuery } from './service.ts'
import { type AwaitedPayment, awaitedIn, type Overdue, overdueOf, type Sum, sumsBetween } from './sums.ts'

/** A year back and a year ahead, whole months. */
const MONTHS_BACK = 11
const MONTHS_AHEAD = 12
/** Of more days than these, a calendar would not be one. */
const MOST_DAYS = 42
const MONTH = { count: 1, unit: 'month' } as const

/** What should have come and what came, in minor units. What was let go is expected no more. */
export interface Sums {
  /** All of it: what was received, is awaited, is late, was given up, and is to come. */
  expected: number
  received: number
  awaited: number
  fees: number
  refunds: number
  late: number
  givenUp: number
  toCome: number
  payments: number
}
export interface MonthSums extends Sums {
  /** "2026-11" */
  month: string
}
export interface DaySums extends Sums {
  day: Day
}

/** What is late, by its age. */
export interface Ages {
  upToAWeek: number
  upToAMonth: number
  older: number
  givenUp: number
}

const NOTHING: Sums = {
  expected: 0,
  received: 0,
  awaited: 0,
  fees: 0,
  refunds: 0,
  late: 0,
  givenUp: 0,
  toCome: 0,
  payments: 0,
}

/** What should have come and what came, by the month in which it was due: a year back and a year ahead. */
export async function sumMonths(
  base: Services,
  mode: Mode,
  query: MoneyFilters,
): Promise<{ today: Day; months: MonthSums[]; ages: Ages }> {
  const services = await inMode(base, mode)
  const today = await schoolDay(services)
  const from = after(`${today.slice(0, 7)}-01`, -MONTHS_BACK, MONTH)
  const length = MONTHS_BACK + MONTHS_AHEAD + 1
  const names = Array.from({ length }, (_, n) => after(from, n, MONTH).slice(0, 7))
  const found = await find(services, mode, today, query, { from, until: addDays(after(from, length, MONTH), -1) })
  const sums = sumBy(found, (day) => day.slice(0, 7))
  const months = names.map((month) => ({ month, ...(sums.get(month) ?? NOTHING) }))
  return { today, months, ages: agesOf(found.overdue) }
}

/** The same of any span: altogether, by the months in which there is something, and by day where it is short. */
export async function sumSpan(
  base: Services,
  mode: Mode,
  { from, until, ...query }: v.InferOutput<typeof spanQuery>,
): Promise<{ today: Day; total: Sums; months: MonthSums[]; days: DaySums[] }> {
  const services = await inMode(base, mode)
  const today = await schoolDay(services)
  const found = await find(services, mode, today, query, { from, until })
  const isShort = daysBetween(from, until) < MOST_DAYS
  return {
    today,
    total: sumBy(found, () => 'all').get('all') ?? NOTHING,
    months: [...sumBy(found, (day) => day.slice(0, 7))].map(([month, sums]) => ({ month, ...sums })),
    days: isShort ? [...sumBy(found, (day) => day)].map(([day, sums]) => ({ day, ...sums })) : [],
  }
}

interface Found {
  /** Of the span, in the order of its days. */
  sums: Sum[]
  /** Whenever it was ordered. */
  awaited: Pick<AwaitedPayment, 'day' | 'pay'>[]
  /** Whenever it was due. */
  overdue: Overdue[]
  span: DaySpan
}

async function find(services: Services, mode: Mode, today: Day, query: MoneyFilters, span: DaySpan): Promise<Found> {
  if (query.search) return { ...(await findOfBuyers(services, mode, today, query, span)), span }
  const [sums, awaited, overdue] = await Promise.all([
    sumsBetween(services.db, mode, span.from, span.until, query),
    awaitedIn(services.db, mode, query),
    overdueOf(services.db, mode, today, query),
  ])
  return { sums, awaited, overdue, span }
}

/** The same for a few buyers: read from their payments. */
async function findOfBuyers(services: Services, mode: Mode, today: Day, query: MoneyFilters, { from, until }: DaySpan) {
  const rows = await paymentsOfBuyers(services, mode, today, query)
  const awaited = rows.filter((row) => row.standing === 'awaited').map(({ due: day, pay }) => ({ day, pay }))
  const sums = rows
    .filter(({ due, standing }) => standing !== 'awaited' && due >= from && due <= until)
    .map(({ due: day, standing, pay, fee: fees, refunded: refunds }) => {
      const isReceived = standing === 'received'
      return { day, received: isReceived ? pay : 0, fees, refunds, due: isReceived ? 0 : pay, payments: 1 }
    })
  const overdue = rows.flatMap(({ due, pay, standing }) =>
    standing === 'late' || standing === 'given-up' ? [{ day: due, standing, pay, days: daysBetween(due, today) }] : [],
  )
  return { sums, awaited, overdue }
}

/** The sums of a span by whatever its days have in common, in their order. */
function sumBy(
  { sums, awaited, overdue, span: { from, until } }: Found,
  keyOf: (day: Day) => string,
): Map<string, Sums> {
  const found = new Map<string, Sums>()
  const at = (day: Day) => {
    const key = keyOf(day)
    const sum = found.get(key) ?? { ...NOTHING }
    found.set(key, sum)
    return sum
  }
  for (const { day, received, fees, refunds, due, payments } of sums) {
    const sum = at(day)
    sum.expected += received + due
    sum.received += received
    sum.fees += fees
    sum.refunds += refunds
    sum.toCome += due
    sum.payments += payments
  }
  const isIn = ({ day }: { day: Day }) => day >= from && day <= until
  for (const { day, pay } of awaited.filter(isIn)) {
    const sum = at(day)
    sum.expected += pay
    sum.awaited += pay
    sum.payments++
  }
  for (const { day, standing, pay } of overdue.filter(isIn)) {
    const sum = at(day)
    sum.toCome -= pay
    if (standing === 'late') sum.late += pay
    else sum.givenUp += pay
  }
  return new Map([...found].sort(([a], [b]) => (a < b ? -1 : 1)))
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
