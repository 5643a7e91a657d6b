import { and, eq, gte, inArray, lt, type SQL, sql } from 'drizzle-orm'
import { type Day, daysBetween } from '../../core/calendar/day.ts'
import type { Queryable } from '../db/client.ts'
import type { Mode } from '../db/schema/columns.ts'
import { agreements, connections, moneyDeltas, moneySums, offers, payments } from '../db/schema/index.ts'

/** What narrows sums: a course, an offer, a way of paying. */
export interface SumFilters {
  course?: string | undefined
  offer?: string | undefined
  way?: string | undefined
}

/** What payments of a month come to, in minor units. */
export interface Sum {
  month: string
  /** What was collected, what it cost, and what was given back of it. */
  received: number
  fees: number
  refunds: number
  /** What is expected and not collected: late, given up and to come. */
  due: number
  payments: number
}

/** Adds the deltas up into the sums. Safe to call by several workers at once. */
export async function addUp(db: Queryable): Promise<void> {
  await db.execute(sql`
    with gone as (delete from ${moneyDeltas} returning *)
    insert into ${moneySums} (mode, month, offer_id, adapter, state, pay, fee, refunded, n)
    select mode, month, offer_id, adapter, state, sum(pay), sum(fee), sum(refunded), sum(n)
    from gone group by 1, 2, 3, 4, 5 order by 1, 2, 3, 4, 5
    on conflict (mode, month, offer_id, adapter, state) do update set
      pay = ${moneySums}.pay + excluded.pay, fee = ${moneySums}.fee + excluded.fee,
      refunded = ${moneySums}.refunded + excluded.refunded, n = ${moneySums}.n + excluded.n`)
}

/** The sums of the months from one to another, without those in which nothing was or is due. */
export async function sumsBetween(
  db: Queryable,
  mode: Mode,
  from: string,
  until: string,
  { course, offer, way }: SumFilters,
): Promise<Sum[]> {
  const { rows } = await db.execute(sql`
    select month,
      coalesce(sum(pay) filter (where state = 'collected'), 0)::float8 as received,
      coalesce(sum(fee), 0)::float8 as fees,
      coalesce(sum(refunded), 0)::float8 as refunds,
      coalesce(sum(pay) filter (where state = 'due'), 0)::float8 as due,
      sum(n)::int as payments
    from (
      select month, offer_id, adapter, state, pay, fee, refunded, n from ${moneySums} where mode = ${mode}
      union all
      select month, offer_id, adapter, state, pay, fee, refunded, n from ${moneyDeltas} where mode = ${mode}
    ) s
    where month >= ${from} and month <= ${until}
      ${offer ? sql`and offer_id = ${offer}` : sql``}
      ${course ? sql`and offer_id in (select id from ${offers} where ${offers.courseId} = ${course})` : sql``}
      ${way ? sql`and adapter = ${way}` : sql``}
    group by month order by month`)
  return rows as unknown as Sum[]
}

/** All that came in a mode, ever. */
export async function sumsOfMode(db: Queryable, mode: Mode): Promise<Pick<Sum, 'received' | 'fees' | 'refunds'>> {
  const { rows } = await db.execute(sql`
    select coalesce(sum(pay) filter (where state = 'collected'), 0)::float8 as received,
      coalesce(sum(fee), 0)::float8 as fees, coalesce(sum(refunded), 0)::float8 as refunds
    from (
      select state, pay, fee, refunded from ${moneySums} where mode = ${mode}
      union all
      select state, pay, fee, refunded from ${moneyDeltas} where mode = ${mode}
    ) s`)
  return rows[0] as unknown as Pick<Sum, 'received' | 'fees' | 'refunds'>
}

/** Payments of one day that should have come and did not. */
export interface Overdue {
  month: string
  /** Still tried, or given up: its agreement has stopped. */
  standing: 'late' | 'given-up'
  pay: number
  /** Days since it was due; below 0 where it was given up before that. */
  days: number
}

/** What is late or given up, whenever it was due, by its day: few, beside all that is expected. */
export async function overdueOf(
  db: Queryable,
  mode: Mode,
  today: Day,
  { course, offer, way }: SumFilters,
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
    .where(eq(offers.courseId, course ?? ''))
  const byWay = db
    .select({ id: connections.id })
    .from(connections)
    .where(eq(connections.adapter, way ?? ''))
  const narrowed = and(
    eq(agreements.mode, mode),
    offer ? eq(payments.offerId, offer) : undefined,
    course ? inArray(payments.offerId, ofCourse) : undefined,
    way ? inArray(agreements.connectionId, byWay) : undefined,
  )
  const from = (standing: 'late' | 'given-up', where: SQL | undefined) =>
    db
      .select({ due: payments.due, pay: sql<number>`sum(${payments.pay})::float8` })
      .from(agreements)
      .innerJoin(payments, unpaid)
      .where(and(narrowed, where))
      .groupBy(payments.due)
      .then((rows) =>
        rows.map(({ due, pay }) => ({ month: due.slice(0, 7), standing, pay, days: daysBetween(due, today) })),
      )
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
