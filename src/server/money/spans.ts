import type * as v from 'valibot'
import { addDays, after, type Day, daysBetween } from '../../core/calendar/day.ts'
import type { Mode } from '../db/schema/columns.ts'
import { type Moved, movedBetween } from '../ledger/sums.ts'
import { inMode, type Services } from '../platform/context.ts'
import { schoolDay } from '../school/service.ts'
import { movedOfBuyers } from './movements.ts'
import { paymentsOfBuyers } from './payments.ts'
import type { DaySpan, MoneyFilters, spanQuery } from './query.ts'
import { type AwaitedPayment, awaitedIn, type Overdue, overdueOf, type Sum, sumsBetween } from './sums.ts'

/** A year back and a year ahead, whole months. */
const MONTHS_BACK = 11
const MONTHS_AHEAD = 12
/** Of more days than these, a calendar would not be one. */
const MAX_DAYS = 42
const MONTH = { count: 1, unit: 'month' } as const

/**
 * What is expected by its due day, and beside it what moved on the days themselves, from the ledger; in minor units. What
 * was let go is expected no more.
 */
export interface Sums extends Omit<Moved, 'day'> {
  /** All of it: what is paid, awaited, late, given up, and to come. */
  expected: number
  paid: number
  awaited: number
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
  paid: 0,
  awaited: 0,
  late: 0,
  givenUp: 0,
  toCome: 0,
  payments: 0,
  received: 0,
  receivedTax: 0,
  fees: 0,
  givenBack: 0,
  givenBackTax: 0,
}

/** What is expected by the month in which it is due, and what moved in it: a year back and a year ahead. */
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
  const isShort = daysBetween(from, until) < MAX_DAYS
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
  moved: Moved[]
  /** Whenever it was ordered. */
  awaited: Pick<AwaitedPayment, 'day' | 'pay'>[]
  /** Whenever it was due. */
  overdue: Overdue[]
  span: DaySpan
}

async function find(services: Services, mode: Mode, today: Day, query: MoneyFilters, span: DaySpan): Promise<Found> {
  if (query.search) return { ...(await findOfBuyers(services, mode, today, query, span)), span }
  const [sums, moved, awaited, overdue] = await Promise.all([
    sumsBetween(services.db, mode, span.from, span.until, query),
    movedBetween(services.db, mode, span.from, span.until, query),
    awaitedIn(services.db, mode, query),
    overdueOf(services.db, mode, today, query),
  ])
  return { sums, moved, awaited, overdue, span }
}

/** The same for a few buyers: read from their payments and movements. */
async function findOfBuyers(services: Services, mode: Mode, today: Day, query: MoneyFilters, { from, until }: DaySpan) {
  const [rows, moved] = await Promise.all([
    paymentsOfBuyers(services, mode, today, query),
    movedOfBuyers(services, mode, { from, until }, query),
  ])
  const awaited = rows.filter((row) => row.status === 'awaited').map(({ due: day, pay }) => ({ day, pay }))
  const sums = rows
    .filter(({ due, status }) => status !== 'awaited' && due >= from && due <= until)
    .map(({ due: day, status, pay }) => {
      const isPaid = status === 'paid'
      return { day, paid: isPaid ? pay : 0, due: isPaid ? 0 : pay, payments: 1 }
    })
  const overdue = rows.flatMap(({ due, pay, status }) =>
    status === 'late' || status === 'given-up' ? [{ day: due, status, pay, days: daysBetween(due, today) }] : [],
  )
  return { sums, moved, awaited, overdue }
}

/** The sums of a span by whatever its days have in common, in their order. */
function sumBy(
  { sums, moved, awaited, overdue, span: { from, until } }: Found,
  keyOf: (day: Day) => string,
): Map<string, Sums> {
  const found = new Map<string, Sums>()
  const at = (day: Day) => {
    const key = keyOf(day)
    const sum = found.get(key) ?? { ...NOTHING }
    found.set(key, sum)
    return sum
  }
  for (const { day, received, receivedTax, fees, givenBack, givenBackTax } of moved) {
    const sum = at(day)
    sum.received += received
    sum.receivedTax += receivedTax
    sum.fees += fees
    sum.givenBack += givenBack
    sum.givenBackTax += givenBackTax
  }
  for (const { day, paid, due, payments } of sums) {
    const sum = at(day)
    sum.expected += paid + due
    sum.paid += paid
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
  for (const { day, status, pay } of overdue.filter(isIn)) {
    const sum = at(day)
    sum.toCome -= pay
    if (status === 'late') sum.late += pay
    else sum.givenUp += pay
  }
  return new Map([...found].sort(([a], [b]) => (a < b ? -1 : 1)))
}

function agesOf(overdue: readonly Overdue[]): Ages {
  const sum = (is: (row: Overdue) => boolean) => overdue.filter(is).reduce((all, { pay }) => all + pay, 0)
  const isLate = ({ status }: Overdue) => status === 'late'
  return {
    upToAWeek: sum((row) => isLate(row) && row.days <= 7),
    upToAMonth: sum((row) => isLate(row) && row.days > 7 && row.days <= 30),
    older: sum((row) => isLate(row) && row.days > 30),
    givenUp: sum((row) => !isLate(row)),
  }
}
