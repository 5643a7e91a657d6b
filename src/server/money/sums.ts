import { and, eq, gt, gte, inArray, isNull, lt, ne, type SQL, sql } from 'drizzle-orm'
import { type Day, daysBetween } from '../../core/calendar/day.ts'
import type { Queryable } from '../db/client.ts'
import type { Mode } from '../db/schema/columns.ts'
import {
  agreements,
  attempts,
  connections,
  moneyDeltas,
  moneySums,
  offers,
  orders,
  payments,
} from '../db/schema/index.ts'
import { narrowedTo, type SumFilters } from '../ledger/narrow.ts'
import { addUpMoved } from '../ledger/sums.ts'

/** What payments that are due on a day come to, in minor units. */
export interface Sum {
  day: Day
  /** What is paid of it. */
  paid: number
  /** What is expected and not collected: late, given up and to come. */
  due: number
  payments: number
}

/** Adds the deltas up into the sums. Safe to call by several workers at once. */
export async function aggregate(db: Queryable): Promise<void> {
  await db.execute(sql`
    with gone as (delete from ${moneyDeltas} returning *)
    insert into ${moneySums} (mode, day, offer_id, adapter, state, pay, n)
    select mode, day, offer_id, adapter, state, sum(pay), sum(n)
    from gone group by 1, 2, 3, 4, 5 order by 1, 2, 3, 4, 5
    on conflict (mode, day, offer_id, adapter, state) do update set
      pay = ${moneySums}.pay + excluded.pay, n = ${moneySums}.n + excluded.n`)
  await addUpMoved(db)
}

/** The sums of the days from one to another, both included, without those on which nothing was or is due. */
export async function sumsBetween(
  db: Queryable,
  mode: Mode,
  from: Day,
  until: Day,
  filters: SumFilters,
): Promise<Sum[]> {
  const { rows } = await db.execute(sql`
    select day::text,
      coalesce(sum(pay) filter (where state = 'collected'), 0)::float8 as paid,
      coalesce(sum(pay) filter (where state = 'due'), 0)::float8 as due,
      sum(n)::int as payments
    from (
      select day, offer_id, adapter, state, pay, n from ${moneySums} where mode = ${mode}
      union all
      select day, offer_id, adapter, state, pay, n from ${moneyDeltas} where mode = ${mode}
    ) s
    where day between ${from} and ${until}
      ${narrowedTo(filters, sql`adapter`)}
    group by s.day order by s.day`)
  return rows as unknown as Sum[]
}

/**
 * Of which offers, on which days, the next payments of a span are: as many days as hold `enough` payments after the
 * first, which may have been read in part. So a page of few payments among many is found without reading the many.
 */
export async function offerDays(
  db: Queryable,
  mode: Mode,
  from: Day,
  until: Day,
  filters: SumFilters & { state: 'due' | 'collected' | null },
  enough: number,
): Promise<{ offerId: string; day: Day }[]> {
  const { rows } = await db.execute(sql`
    select offer_id as "offerId", day::text as day from (
      select offer_id, day, coalesce(sum(case when day > ${from} then n else 0 end) over (
        order by day groups between unbounded preceding and 1 preceding), 0) as before
      from (
        select offer_id, day, sum(n) as n from (
          select mode, day, offer_id, adapter, state, n from ${moneySums}
          union all
          select mode, day, offer_id, adapter, state, n from ${moneyDeltas}
        ) s
        where mode = ${mode} and day between ${from} and ${until} ${narrowedTo(filters, sql`adapter`)}
          ${filters.state ? sql`and state = ${filters.state}` : sql``}
        group by offer_id, day having sum(n) > 0
      ) by_day
    ) counted where before < ${enough} order by day`)
  return rows as unknown as { offerId: string; day: Day }[]
}

/** A payment whose buyer has done their part, or does it at their bank, and whose money is not there yet. */
export interface AwaitedPayment {
  orderId: string
  offerId: string
  day: Day
  pay: number
}

/** What is awaited, whenever it was ordered: few, beside all that is expected, and read live. */
export async function awaitedIn(
  db: Queryable,
  mode: Mode,
  { course, offer, paymentMethod }: SumFilters,
): Promise<AwaitedPayment[]> {
  return db
    .select({ orderId: orders.id, offerId: payments.offerId, day: payments.due, pay: payments.pay })
    .from(attempts)
    .innerJoin(orders, and(eq(orders.id, attempts.orderId), eq(orders.mode, mode), ne(orders.state, 'paid')))
    .innerJoin(connections, eq(connections.id, attempts.connectionId))
    .innerJoin(
      payments,
      and(eq(payments.orderId, orders.id), eq(payments.due, purchaseDayOf(orders.quote)), gt(payments.pay, 0)),
    )
    .where(
      and(
        eq(attempts.state, 'awaiting'),
        isNull(attempts.agreementId),
        offer ? eq(payments.offerId, offer) : undefined,
        course
          ? inArray(payments.offerId, db.select({ id: offers.id }).from(offers).where(eq(offers.productId, course)))
          : undefined,
        paymentMethod ? eq(connections.adapter, paymentMethod) : undefined,
      ),
    )
}

/** The day on which an order was placed, from its stored quote. */
export function purchaseDayOf(quote: typeof orders.quote): SQL<Day> {
  return sql`(${quote}->>'purchaseDay')::date`
}

/** Payments of one day that should have come and did not. */
export interface Overdue {
  day: Day
  /** Still tried, or given up: its agreement has stopped. */
  status: 'late' | 'given-up'
  pay: number
  /** Days since it was due; below 0 where it was given up before that. */
  days: number
}

/** What is late or given up, whenever it was due, by its day: few, beside all that is expected. */
export async function overdueOf(
  db: Queryable,
  mode: Mode,
  today: Day,
  { course, offer, paymentMethod }: SumFilters,
): Promise<Overdue[]> {
  const unpaid = and(
    eq(payments.lineId, agreements.lineId),
    eq(payments.state, 'due'),
    sql`${payments.pay} > 0`,
    sql`${payments.n} > ${agreements.collected}`,
  )
  const ofCourse = db
    .select({ id: offers.id })
    .from(offers)
    .where(eq(offers.productId, course ?? ''))
  const byPaymentMethod = db
    .select({ id: connections.id })
    .from(connections)
    .where(eq(connections.adapter, paymentMethod ?? ''))
  const narrowed = and(
    eq(agreements.mode, mode),
    offer ? eq(payments.offerId, offer) : undefined,
    course ? inArray(payments.offerId, ofCourse) : undefined,
    paymentMethod ? inArray(agreements.connectionId, byPaymentMethod) : undefined,
  )
  const from = (status: 'late' | 'given-up', where: SQL | undefined) =>
    db
      .select({ due: payments.due, pay: sql<number>`sum(${payments.pay})::float8` })
      .from(agreements)
      .innerJoin(payments, unpaid)
      .where(and(narrowed, where))
      .groupBy(payments.due)
      .then((rows) => rows.map(({ due, pay }) => ({ day: due, status, pay, days: daysBetween(due, today) })))
  const [tried, untried, givenUp] = await Promise.all([
    // Tried and declined: all that is due by today waits for it.
    from('late', and(eq(agreements.state, 'active'), sql`${agreements.tries} > 0`, sql`${payments.due} <= ${today}`)),
    // Its day is over, and nobody has worked on it yet.
    from(
      'late',
      and(
        eq(agreements.state, 'active'),
        eq(agreements.tries, 0),
        lt(agreements.nextTry, today),
        lt(payments.due, today),
      ),
    ),
    from('given-up', and(eq(agreements.state, 'stopped'), gte(payments.n, 1))),
  ])
  return [...tried, ...untried, ...givenUp]
}
