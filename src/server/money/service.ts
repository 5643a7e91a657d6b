import { and, asc, between, eq, inArray, isNotNull, isNull, lte, or, type SQL, sql } from 'drizzle-orm'
import * as v from 'valibot'
import { after, type Day, daysBetween, isDay, later } from '../../core/calendar/day.ts'
import { codeKey } from '../../core/quote/codes.ts'
import type { Queryable } from '../db/client.ts'
import { nameFits } from '../db/matching.ts'
import type { Mode } from '../db/schema/columns.ts'
import {
  agreements,
  attempts,
  codes,
  connections,
  offers,
  orderLines,
  orders,
  payments,
  people,
} from '../db/schema/index.ts'
import { isId } from '../http/isId.ts'
import { inMode, type Services } from '../platform/context.ts'
import { getSchool, schoolDay } from '../school/service.ts'
import { awaitedIn, type Overdue, offerDays, purchaseDayOf } from './sums.ts'

/** How a scheduled payment stands on a day. */
export const PAYMENT_STATUSES = ['paid', 'awaited', 'late', 'given-up', 'to-come'] as const
export type PaymentStatus = (typeof PAYMENT_STATUSES)[number]

const uuid = v.pipe(v.string(), v.uuid('There is no such thing to look for.'))
/** What narrows the money that is looked at. */
const filters = {
  course: v.optional(uuid),
  offer: v.optional(uuid),
  paymentMethod: v.optional(v.pipe(v.string(), v.maxLength(40))),
  search: v.optional(v.pipe(v.string(), v.trim(), v.maxLength(100)), ''),
}
const day = v.pipe(v.string(), v.check(isDay, 'This date does not exist.'))
const MAX_YEARS = 20
/** From a day to another, both included. */
const span = { from: day, until: day }
export interface DaySpan {
  from: Day
  until: Day
}

/** The last day does not lie before the first, nor too far from it. */
function inOrder<T extends DaySpan & Record<string, unknown>>() {
  return v.rawCheck<T>(({ dataset, addIssue }) => {
    if (!dataset.typed || dataset.issues) return
    const { from, until } = dataset.value
    const say = (message: string) =>
      addIssue({
        message,
        path: [{ type: 'object', origin: 'value', input: dataset.value, key: 'until', value: until }],
      })
    if (until < from) say('The last day is before the first.')
    else if (until > after(from, MAX_YEARS, { count: 1, unit: 'year' })) say(`At most ${MAX_YEARS} years at a time.`)
  })
}
/** Where a page ended: `<due>|<order>|<payment>`. */
function isCursor(text: string): boolean {
  const [due = '', order = '', payment = '', ...rest] = text.split('|')
  return rest.length === 0 && isDay(due) && isId(order) && isId(payment)
}

/** The same of movements: `<day>|<transaction>|<line>`. */
function isMovementCursor(text: string): boolean {
  const [on = '', transaction = '', line = '', ...rest] = text.split('|')
  return rest.length === 0 && isDay(on) && /^\d{1,15}$/.test(transaction) && (line === '' || isId(line))
}

const movementAfter = v.optional(v.pipe(v.string(), v.check(isMovementCursor, 'This page does not exist.')))
const pageAfter = v.optional(v.pipe(v.string(), v.check(isCursor, 'This page does not exist.')))
export const monthsQuery = v.object(filters)
export const spanQuery = v.pipe(v.object({ ...span, ...filters }), inOrder())
export const exportQuery = v.pipe(
  v.object({ ...span, status: v.optional(v.picklist(PAYMENT_STATUSES)), ...filters }),
  inOrder(),
)
export const paymentsQuery = v.pipe(
  v.object({ ...span, status: v.optional(v.picklist(PAYMENT_STATUSES)), after: pageAfter, ...filters }),
  inOrder(),
)
export const movementsQuery = v.pipe(v.object({ ...span, after: movementAfter, ...filters }), inOrder())
export const lateQuery = v.object({ status: v.picklist(['late', 'given-up']), after: pageAfter, ...filters })
export type MoneyFilters = v.InferOutput<typeof monthsQuery>

/** Up to so many buyers are few. */
const FEW_BUYERS = 50

/**
 * Where a payment stands: paid; awaited (a transfer that is to arrive, or to be sent); late (due, and not collected
 * at its first try); given up (its agreement has stopped, though it is still owed); or to come. What was let go is
 * expected no more, and left out.
 */
const status = (today: Day) => sql<PaymentStatus>`case
  when ${payments.state} = 'collected' then 'paid'
  when ${orders.state} <> 'paid' then 'awaited'
  when ${agreements.state} = 'stopped' then 'given-up'
  when ${payments.due} <= ${today} and ${agreements.tries} > 0 then 'late'
  when ${payments.due} < ${today} then 'late'
  else 'to-come' end`

/** What was given back of a payment, or lost in a dispute. */
const refunded = sql<number>`coalesce((select -sum(b.amount) from ledger b
  where b.payment_id = ${payments.id} and b.kind in ('refund', 'dispute') and b.account like 'assets:%'
    and exists (select from refunds r where r.id = b.subject_id)), 0)::float8`

/** The connection by which the money of an unpaid order is awaited. */
const awaitedBy = sql`(select w.connection_id from attempts w
  where w.order_id = ${orders.id} and w.state = 'awaiting' and w.agreement_id is null)`

async function narrowed(
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

export async function offersOf(db: Queryable, courseId: string): Promise<string[]> {
  const rows = await db.select({ id: offers.id }).from(offers).where(eq(offers.productId, courseId))
  return rows.map(({ id }) => id)
}

/** One offer's payments lie in their order in an index; those of several are put in order. */
function ofOffers(ids: string[]): SQL {
  const [only = NOBODY, ...more] = ids
  return more.length === 0 ? eq(payments.offerId, only) : inArray(payments.offerId, ids)
}

const NOBODY = '00000000-0000-0000-0000-000000000000'

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

/** So many payments are read at a time. */
export const PAGE = 50

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

/** Where payments of several offers, or of one way, are looked for: on the days and of the offers of the next page. */
async function nearest(
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
function overdueLines(mode: Mode, today: Day, status: Overdue['status']): SQL {
  const late = sql`
    select line_id from agreements where mode = ${mode} and state = 'active' and tries > 0
    union all
    select line_id from agreements where mode = ${mode} and state = 'active' and next_try < ${today}`
  const givenUp = sql`select line_id from agreements where mode = ${mode} and state = 'stopped'`
  return sql`${payments.lineId} = any (array(${status === 'late' ? late : givenUp}))`
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
      course: orderLines.title,
      offer: orderLines.offerName,
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
