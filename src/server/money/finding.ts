import { and, eq, inArray, isNotNull, isNull, or, type SQL, sql } from 'drizzle-orm'
import type { Day } from '../../core/calendar/day.ts'
import { codeKey } from '../../core/quote/codes.ts'
import type { Queryable } from '../db/client.ts'
import { nameFits } from '../db/matching.ts'
import type { Mode } from '../db/schema/columns.ts'
import { agreements, codes, connections, offers, orders, payments, people } from '../db/schema/index.ts'
import type { Services } from '../platform/context.ts'
import type { DaySpan, MoneyFilters, PaymentStatus } from './query.ts'
import { awaitedIn, type Overdue, offerDays, purchaseDayOf } from './sums.ts'

/** Up to so many buyers are few. */
const FEW_BUYERS = 50

/**
 * Where a payment stands: paid; awaited (a transfer that is to arrive, or to be sent); late (due, and not collected
 * at its first try); given up (its agreement has stopped, though it is still owed); or to come. What was let go is
 * expected no more, and left out.
 */
export const status = (today: Day) => sql<PaymentStatus>`case
  when ${payments.state} = 'collected' then 'paid'
  when ${orders.state} <> 'paid' then 'awaited'
  when ${agreements.state} = 'stopped' then 'given-up'
  when ${payments.due} <= ${today} and ${agreements.tries} > 0 then 'late'
  when ${payments.due} < ${today} then 'late'
  else 'to-come' end`

/** The connection by which the money of an unpaid order is awaited. */
export const awaitedBy = sql`(select w.connection_id from attempts w
  where w.order_id = ${orders.id} and w.state = 'awaiting' and w.agreement_id is null)`

/** What narrows the payments that are looked at: those that are expected or came, by what was asked. */
export async function narrowed(
  { db }: Services,
  mode: Mode,
  { course, offer, paymentMethod, search }: MoneyFilters,
): Promise<SQL | undefined> {
  return and(
    eq(payments.mode, mode),
    or(eq(orders.state, 'paid'), and(isNotNull(awaitedBy), eq(payments.due, purchaseDayOf(orders.quote)))),
    sql`${payments.state} <> 'written-off'`,
    sql`${payments.pay} > 0`,
    course ? ofOffers(await offersOf(db, course)) : undefined,
    offer ? eq(payments.offerId, offer) : undefined,
    paymentMethod ? eq(connections.adapter, paymentMethod) : undefined,
    // The buyers are found first: whoever reads by them reads their few orders, and not a year of payments.
    search ? await ofBuyers(db, mode, search) : undefined,
  )
}

/** The offers of a course or bundle. */
export async function offersOf(db: Queryable, courseId: string): Promise<string[]> {
  const rows = await db.select({ id: offers.id }).from(offers).where(eq(offers.productId, courseId))
  return rows.map(({ id }) => id)
}

/** One offer's payments lie in their order in an index; those of several are put in order. */
function ofOffers(ids: string[]): SQL {
  const [only = NOBODY, ...more] = ids
  return more.length === 0 ? eq(payments.offerId, only) : inArray(payments.offerId, ids)
}

/** An id that nobody has, for a list of ids that may not be empty. */
export const NOBODY = '00000000-0000-0000-0000-000000000000'

/**
 * Orders that a search finds: of its buyers, few of whom are named, so that their orders are read by an index, and many
 * looked for as they are; and those with the code that was typed.
 */
export async function ofBuyers(db: Queryable, mode: Mode, search: string): Promise<SQL> {
  const fitting = and(eq(people.mode, mode), nameFits(search))
  const rows = await db
    .select({ id: people.id })
    .from(people)
    .where(fitting)
    .limit(FEW_BUYERS + 1)
  const byBuyer =
    rows.length > FEW_BUYERS
      ? sql`${orders.personId} in (select b.id from people b where b.mode = ${mode} and ${nameFits(search, 'b')})`
      : inArray(orders.personId, [...rows.map(({ id }) => id), NOBODY])
  const typed = await db
    .select({ id: codes.id, code: codes.code })
    .from(codes)
    .where(and(eq(codes.key, codeKey(search)), isNull(codes.freedAt)))
  return typed.length === 0 ? byBuyer : sql`(${byBuyer} or ${withCodes(typed)})`
}

/** Orders that carry one of some codes, and upsells to which it went on. */
function withCodes(typed: readonly { id: string; code: string }[]): SQL {
  const ids = sql.param(typed.map(({ id }) => id))
  const carry = sql`(select u.order_id from code_uses u where u.code_id = any(${ids}::uuid[]) and u.state <> 'released')`
  const went = typed.map(
    ({ code }) =>
      sql`${orders.quote} -> 'codes' @> jsonb_build_array(jsonb_build_object('code', ${code}::text, 'counts', true))`,
  )
  return sql`(${orders.id} in ${carry} or (${orders.followsId} in ${carry} and (${sql.join(went, sql` or `)})))`
}

/** Where payments of several offers, or of one way, are looked for: on the days and of the offers of the next page. */
export async function nearest(
  { db }: Services,
  mode: Mode,
  { from, until }: DaySpan,
  { search, ...query }: MoneyFilters,
  only: 'paid' | 'to-come' | undefined,
  enough: number,
): Promise<{ where: SQL; days: number } | undefined> {
  if (search || !(query.course || query.paymentMethod)) return undefined
  // One offer's payments lie in the order of their days in an index.
  if (!query.paymentMethod && query.course && (await offersOf(db, query.course)).length === 1) return undefined
  const state = only ? (only === 'paid' ? 'collected' : 'due') : null
  const [summed, awaited] = await Promise.all([
    offerDays(db, mode, from, until, { ...query, state }, enough),
    only ? [] : awaitedIn(db, mode, query),
  ])
  const found = [...summed, ...awaited]
  const offerIds = sql.param(found.map(({ offerId }) => offerId))
  const days = sql.param(found.map(({ day }) => day))
  const byPaymentMethod = sql`
    left join attempts a on a.id = p.attempt_id
    left join agreements g on g.line_id = p.line_id
    join connections c on c.adapter = ${query.paymentMethod} and c.id = coalesce(a.connection_id, g.connection_id, (
      select w.connection_id from attempts w
      where w.order_id = p.order_id and w.state = 'awaiting' and w.agreement_id is null))`
  // Found first, by the index of an offer's days, and told of by their ids: in one step PostgreSQL reads them all.
  const where = sql`${payments.id} = any (array(
    select p.id from unnest(${offerIds}::uuid[], ${days}::date[]) as k (offer_id, day)
    join payments p on p.mode = ${mode} and p.offer_id = k.offer_id and p.due = k.day
    ${query.paymentMethod ? byPaymentMethod : sql``}))`
  return { where, days: found.length }
}

/**
 * The lines of agreements of which something is late, or was given up: few, and found by indexes of their own. Their
 * payments are read by them; left to itself, PostgreSQL would read every payment and look for the few.
 */
export function overdueLines(mode: Mode, today: Day, status: Overdue['status']): SQL {
  const late = sql`
    select line_id from agreements where mode = ${mode} and state = 'active' and tries > 0
    union all
    select line_id from agreements where mode = ${mode} and state = 'active' and next_try < ${today}`
  const givenUp = sql`select line_id from agreements where mode = ${mode} and state = 'stopped'`
  return sql`${payments.lineId} = any (array(${status === 'late' ? late : givenUp}))`
}
