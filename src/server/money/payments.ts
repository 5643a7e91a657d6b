import { and, between, eq, inArray, lte, sql } from 'drizzle-orm'
import type * as v from 'valibot'
import { after, type Day, later } from '../../core/calendar/day.ts'
import type { Mode } from '../db/schema/columns.ts'
import { agreements, payments } from '../db/schema/index.ts'
import { inMode, type Services } from '../platform/context.ts'
import { getSchool, schoolDay } from '../school/service.ts'
import { NOBODY, narrowed, nearest, overdueLines, status } from './finding.ts'
import {
  type DaySpan,
  type lateQuery,
  type MoneyFilters,
  PAGE,
  type PaymentStatus,
  type paymentsQuery,
} from './query.ts'
import { beyond, type MoneyRow, pageOf, readFew, readPayments } from './rows.ts'
import { awaitedIn } from './sums.ts'

/** The payments of a span, in the order of their days, a page at a time by the last one seen. */
export async function listPayments(
  base: Services,
  mode: Mode,
  { from, until, after: last, status: only, ...query }: v.InferOutput<typeof paymentsQuery>,
): Promise<{ payments: MoneyRow[]; next: string | null }> {
  const services = await inMode(base, mode)
  const today = await schoolDay(services)
  // What is to come lies ahead; what came before it need not be read.
  const first = later(last?.slice(0, 10) ?? from, only === 'to-come' ? later(from, today) : from)
  const where = and(
    await narrowed(services, mode, query),
    between(payments.due, first, until),
    only ? eq(status(today), only) : undefined,
    beyond(last),
  )
  if (only === 'awaited') {
    const ids = (await awaitedIn(services.db, mode, query)).map(({ orderId }) => orderId)
    return pageOf(
      await readPayments(services, today, and(where, inArray(payments.orderId, [...ids, NOBODY])), PAGE + 1),
    )
  }
  if (only === 'late' || only === 'given-up') {
    return pageOf(await readFew(services, today, and(where, overdueLines(mode, today, only))))
  }
  // The sums do not tell what is to come from what was given up: where a page is not full, further days are read.
  for (let enough = PAGE + 1, before = -1; ; enough *= 4) {
    const near = await nearest(services, mode, { from: first, until }, query, only, enough)
    const isAll = near === undefined || near.days === before
    const rows = await readPayments(services, today, and(where, near?.where), PAGE + 1)
    if (isAll || only !== 'to-come' || rows.length > PAGE) return pageOf(rows)
    before = near.days
  }
}

/** Everything late, or given up, whenever it was due, the oldest first, a page at a time. */
export async function listLate(
  base: Services,
  mode: Mode,
  { after: last, status: only, ...query }: v.InferOutput<typeof lateQuery>,
): Promise<{ payments: MoneyRow[]; next: string | null }> {
  const services = await inMode(base, mode)
  const today = await schoolDay(services)
  const where = and(
    await narrowed(services, mode, query),
    eq(payments.state, 'due'),
    overdueLines(mode, today, only),
    only === 'late' ? lte(payments.due, today) : undefined,
    eq(status(today), only),
    beyond(last),
  )
  return pageOf(await readFew(services, today, where))
}

/** All payments of a span, in the order of their days. */
export async function paymentsBetween(
  base: Services,
  mode: Mode,
  { from, until }: DaySpan,
  { status: only, ...query }: MoneyFilters & { status?: PaymentStatus | undefined },
): Promise<MoneyRow[]> {
  const services = await inMode(base, mode)
  const today = await schoolDay(services)
  const where = and(
    await narrowed(services, mode, query),
    between(payments.due, from, until),
    only ? eq(status(today), only) : undefined,
  )
  const rows = await readPayments(services, today, where)
  return rows.sort((a, b) => (a.due < b.due ? -1 : a.due > b.due ? 1 : a.number - b.number || a.n - b.n))
}

/** All payments of the few buyers that a search finds. */
export async function paymentsOfBuyers(
  services: Services,
  mode: Mode,
  today: Day,
  query: MoneyFilters,
): Promise<MoneyRow[]> {
  return readPayments(services, today, await narrowed(services, mode, query))
}

/** Everything that is still to come within a year, and what is tried again, for a calendar. */
export async function paymentsToCome(base: Services, mode: Mode): Promise<{ rows: MoneyRow[]; schoolName: string }> {
  const services = await inMode(base, mode)
  const today = await schoolDay(services)
  const { name } = await getSchool(base.db)
  const until = after(today, 1, { count: 1, unit: 'year' })
  const rows = await paymentsBetween(base, mode, { from: today, until }, { search: '' })
  const where = and(
    await narrowed(services, mode, { search: '' }),
    eq(payments.state, 'due'),
    overdueLines(mode, today, 'late'),
    // Of several that are late, the first is tried; the others wait for it.
    sql`${payments.n} = ${agreements.collected} + 1`,
  )
  const again = (await readPayments(services, today, where)).filter(({ nextTry }) => nextTry !== null)
  return { rows: [...again, ...rows.filter((row) => row.status === 'to-come')], schoolName: name }
}
