import { and, asc, desc, eq, gte, lt, ne, not, or, type SQL, sql } from 'drizzle-orm'
import * as v from 'valibot'
import { addDays, isDay } from '../../core/calendar/day.ts'
import {
  afterTakenBack,
  isNeverAsked,
  nextPayment,
  nextTryOf,
  owes,
  payableOn,
  restOf,
} from '../../core/collecting/agreement.ts'
import { namePayment } from '../../core/sentence/sentence.ts'
import { explainGrants } from '../access/why.ts'
import { hasRefund, readAgreement } from '../agreements/agreements.ts'
import { PAYMENTS_IN_ORDER } from '../agreements/inOrder.ts'
import { manualPaymentOn } from '../collecting/manualPayment.ts'
import type { Queryable } from '../db/client.ts'
import type { Mode } from '../db/schema/columns.ts'
import {
  agreements,
  attempts,
  catalogue,
  checkoutPages,
  codes,
  codeUses,
  connections,
  disputes,
  journal,
  lineCourses,
  offers,
  orderLines,
  orders,
  payments,
  people,
  refunds,
  transfers,
} from '../db/schema/index.ts'
import { versionOf } from '../drafts/drafts.ts'
import { duplicatesOf } from '../fulfilment/duplicates.ts'
import { notFound } from '../http/problem.ts'
import { movedOfMode, movedOfOrders } from '../ledger/sums.ts'
import { awaitedOf } from '../orders/awaited.ts'
import { termsOf } from '../orders/plans.ts'
import { agreementStatus, firstAgreement, orderStatusColumns, orderTitles } from '../orders/status.ts'
import { listMessages } from '../outbox/listed.ts'
import { inMode, type Services } from '../platform/context.ts'
import { savedMethodOf } from '../refunds/chargeAgain.ts'
import { chargesOf } from '../refunds/charges.ts'
import { getSchool, schoolDay } from '../school/service.ts'
import { ordersFitting } from './matching.ts'

const PAGE = 40

/** How orders are told apart in their list. */
const ORDER_FILTERS = ['all', 'paid', 'waiting', 'late', 'refunded', 'unpaid'] as const
const day = v.pipe(v.string(), v.check(isDay, 'This date does not exist.'))

export const ordersQuery = v.object({
  search: v.optional(v.pipe(v.string(), v.trim(), v.maxLength(100)), ''),
  state: v.optional(v.picklist(ORDER_FILTERS), 'all'),
  /** A course or a bundle: sold alone, or a course with a bundle. */
  course: v.optional(v.pipe(v.string(), v.uuid('There is no such course.'))),
  /** Placed with a code of this coupon. */
  coupon: v.optional(v.pipe(v.string(), v.uuid('There is no such coupon.'))),
  /** What something of it was sold as: ticked on a checkout page, or taken after a payment. */
  role: v.optional(v.picklist(['bump', 'upsell'])),
  /** Days on which they were ordered, both included, by the school's clock. */
  from: v.optional(day),
  until: v.optional(day),
  /** The last number of the page before. */
  before: v.optional(v.pipe(v.string(), v.regex(/^\d{1,9}$/, 'This page does not exist.'))),
})
type OrdersQuery = Omit<v.InferOutput<typeof ordersQuery>, 'before'>

/** Orders of one mode, newest first, a page at a time by the number of the last one seen. */
export async function listOrders(
  base: Services,
  mode: Mode,
  { before, ...query }: v.InferOutput<typeof ordersQuery>,
  most = PAGE,
) {
  const rows = await readOrders(await inMode(base, mode), mode, query, before, most + 1)
  const page = rows.slice(0, most)
  return { orders: page, next: rows.length > most ? (page.at(-1)?.number ?? null) : null }
}

/** All orders that fit, newest first, for a file: with what they hold, and what moved of each by the books. */
export async function ordersFor(base: Services, mode: Mode, query: OrdersQuery) {
  const services = await inMode(base, mode)
  const { db } = services
  const rows = await readOrders(services, mode, query, undefined, undefined)
  const ids = rows.map(({ id }) => id)
  const [moved, lines, upsells] = await Promise.all([movedOfOrders(db, ids), linesOf(db, ids), answeredOf(db, ids)])
  const byOrder = <T extends { orderId: string }>(all: readonly T[]) => {
    const found = new Map<string, T[]>()
    for (const one of all) found.set(one.orderId, [...(found.get(one.orderId) ?? []), one])
    return found
  }
  const [movedBy, linesBy, upsellsBy] = [byOrder(moved), byOrder(lines), byOrder(upsells)]
  return rows.map((row) => ({
    ...row,
    moved: movedBy.get(row.id) ?? [],
    items: linesBy.get(row.id) ?? [],
    upsells: upsellsBy.get(row.id) ?? [],
  }))
}

/** The lines of orders with their quotes and their offers' article numbers, in their order. */
function linesOf(db: Queryable, orderIds: readonly string[]) {
  return db
    .select({
      orderId: orderLines.orderId,
      id: orderLines.id,
      title: orderLines.title,
      offerName: orderLines.offerName,
      role: orderLines.role,
      quoted: orderLines.quoted,
      purchaseDay: sql<string>`${orders.quote}->>'purchaseDay'`,
      sku: sql<string>`coalesce(${offers.live}, ${offers.draft})->>'sku'`,
    })
    .from(orderLines)
    .innerJoin(orders, eq(orders.id, orderLines.orderId))
    .innerJoin(offers, eq(offers.id, orderLines.offerId))
    .where(sql`${orderLines.orderId} = any(${sql.param([...orderIds])}::uuid[])`)
    .orderBy(asc(orderLines.position))
}

/** What was answered to the upsells after orders, in the order in which it was. */
async function answeredOf(db: Queryable, orderIds: readonly string[]) {
  const rows = await db
    .select({ orderId: journal.orderId, what: journal.what, data: journal.data })
    .from(journal)
    .where(
      and(
        sql`${journal.orderId} = any(${sql.param([...orderIds])}::uuid[])`,
        sql`${journal.what} in ('upsell-taken', 'upsell-refused')`,
      ),
    )
    .orderBy(asc(journal.id))
  return rows.map(({ orderId, what, data }) => ({
    orderId: orderId as string,
    title: String((data as { title?: string }).title ?? ''),
    isTaken: what === 'upsell-taken',
  }))
}

async function readOrders(
  services: Services,
  mode: Mode,
  { search, state, course, coupon, role, from, until }: OrdersQuery,
  before: string | undefined,
  most: number | undefined,
) {
  const { db } = services
  const school = await getSchool(db)
  const at = (day: string) => sql`(${day}::date)::timestamp at time zone ${school.timeZone}`
  const read = db
    .select({
      id: orders.id,
      number: orders.number,
      state: orders.state,
      payToday: orders.payToday,
      currency: orders.currency,
      createdAt: orders.createdAt,
      buyer: people.name,
      email: people.email,
      page: sql<string | null>`(select p.slug from ${checkoutPages} p where p.id = ${orders.pageId})`,
      pageVersion: orders.pageVersion,
      cameFrom: orders.cameFrom,
      ...orderTitles,
      ...orderStatusColumns,
      agreement: agreementStatus,
    })
    .from(orders)
    .innerJoin(people, eq(people.id, orders.personId))
    .leftJoin(agreements, eq(agreements.id, firstAgreement))
    .where(
      and(
        eq(orders.mode, mode),
        state === 'all' ? undefined : IN_STATE[state],
        course
          ? // Sold alone, or in a bundle.
            sql`${orders.id} in (
              select l.order_id from ${orderLines} l where l.product_id = ${course}
              union all select l.order_id from ${lineCourses} c join ${orderLines} l on l.id = c.line_id
              where c.course_id = ${course})`
          : undefined,
        coupon
          ? // An upsell to which it went on has no use of its own.
            sql`(${orders.id} in (select u.order_id from ${codeUses} u where u.coupon_id = ${coupon} and u.state <> 'released')
              or ${orders.followsId} in (select u.order_id from ${codeUses} u join ${codes} c on c.id = u.code_id
                where u.coupon_id = ${coupon} and u.state = 'used'
                and ${orders.quote} -> 'codes' @> jsonb_build_array(jsonb_build_object('code', c.code, 'counts', true))))`
          : undefined,
        role ? sql`${orders.id} in (select l.order_id from ${orderLines} l where l.role = ${role})` : undefined,
        from ? gte(orders.createdAt, at(from)) : undefined,
        until ? lt(orders.createdAt, at(addDays(until, 1))) : undefined,
        before === undefined ? undefined : lt(orders.number, Number(before)),
        search ? ordersFitting(mode, search, school) : undefined,
      ),
    )
    .orderBy(desc(orders.number))
  return most === undefined ? read : read.limit(most)
}

const isAwaited = sql`exists (select from ${attempts} a
  where a.order_id = ${orders.id} and a.agreement_id is null and a.state in ('started', 'unknown', 'confirming', 'awaiting'))`

/** What an unpaid order waits for is under way, or is to come; what is unpaid waits for nothing. */
const IN_STATE: Record<Exclude<(typeof ORDER_FILTERS)[number], 'all'>, SQL | undefined> = {
  paid: eq(orders.state, 'paid'),
  waiting: and(ne(orders.state, 'paid'), isAwaited),
  unpaid: and(ne(orders.state, 'paid'), not(isAwaited)),
  late: sql`exists (select from ${agreements} g where g.order_id = ${orders.id}
    and (g.state = 'active' and g.tries > 0 or g.state = 'stopped' and g.kind = 'installments'))`,
  refunded: sql`exists (select from ${refunds} r where r.order_id = ${orders.id} and r.state = 'refunded')`,
}

/** What orders of a mode came to, for the sentence above the list. */
export async function sumOrders({ db }: Services, mode: Mode) {
  const [row] = await db
    .select({
      paid: sql<number>`(count(*) filter (where ${orders.state} = 'paid'))::int`,
      waiting: sql<number>`(count(*) filter (where ${IN_STATE.waiting}))::int`,
      unpaid: sql<number>`(count(*) filter (where ${IN_STATE.unpaid}))::int`,
    })
    .from(orders)
    .where(eq(orders.mode, mode))
  const { received, fees, givenBack } = await movedOfMode(db, mode)
  const counts = { paid: row?.paid ?? 0, waiting: row?.waiting ?? 0, unpaid: row?.unpaid ?? 0 }
  return { ...counts, received, fees, refunds: givenBack }
}

/** One order with all that belongs to it, and its journal in order. */
export async function openOrder(services: Services, mode: Mode, id: string) {
  const { db } = services
  const [order] = await db
    .select({
      id: orders.id,
      number: orders.number,
      state: orders.state,
      currency: orders.currency,
      payToday: orders.payToday,
      quote: orders.quote,
      quoteInput: orders.quoteInput,
      followsId: orders.followsId,
      pageId: orders.pageId,
      pageVersion: orders.pageVersion,
      cameFrom: orders.cameFrom,
      createdAt: orders.createdAt,
      paidAt: orders.paidAt,
      ...orderStatusColumns,
      person: { id: people.id, name: people.name, email: people.email },
    })
    .from(orders)
    .innerJoin(people, eq(people.id, orders.personId))
    .where(and(eq(orders.id, id), eq(orders.mode, mode)))
  if (!order) throw notFound('order')
  const [lines, opened, itsPayments, tries, itsGrants, sent, events, agreed] = await Promise.all([
    db.select().from(orderLines).where(eq(orderLines.orderId, id)).orderBy(asc(orderLines.position)),
    db
      .select({
        lineId: lineCourses.lineId,
        courseId: lineCourses.courseId,
        title: lineCourses.title,
        weight: lineCourses.weight,
        paidThrough: lineCourses.paidThrough,
      })
      .from(lineCourses)
      .innerJoin(orderLines, eq(orderLines.id, lineCourses.lineId))
      .where(eq(orderLines.orderId, id))
      .orderBy(asc(lineCourses.position)),
    db
      .select()
      .from(payments)
      .where(eq(payments.orderId, id))
      .orderBy(...PAYMENTS_IN_ORDER),
    db
      .select({
        id: attempts.id,
        state: attempts.state,
        amount: attempts.amount,
        reference: attempts.reference,
        reason: attempts.reason,
        fee: attempts.fee,
        method: attempts.method,
        key: attempts.key,
        replacesId: attempts.replacesId,
        startedAt: attempts.startedAt,
        settledAt: attempts.settledAt,
        adapter: connections.adapter,
      })
      .from(attempts)
      .innerJoin(connections, eq(connections.id, attempts.connectionId))
      .where(eq(attempts.orderId, id))
      .orderBy(asc(attempts.startedAt)),
    explainGrants(await inMode(services, mode), { orderId: id }),
    listMessages(db, { orderId: id }),
    db.select().from(journal).where(eq(journal.orderId, id)).orderBy(asc(journal.id)),
    agreementsOf(services, mode, id),
  ])
  const positions = new Map(lines.map(({ id: lineId, position }) => [lineId, position]))
  const named = new Map(
    itsPayments.map((payment) => [
      payment.id,
      namePayment(payment, termsOf(order.quoteInput, positions.get(payment.lineId) ?? 0)),
    ]),
  )
  const settling = await settlingOf(await inMode(services, mode), id)
  const { quoteInput: _input, followsId, ...shown } = order
  const near = await db
    .select({ id: orders.id, number: orders.number })
    .from(orders)
    .where(followsId === null ? eq(orders.followsId, id) : or(eq(orders.id, followsId), eq(orders.followsId, id)))
    .orderBy(asc(orders.number))
  const isAsked = ({ lineId, n }: { lineId: string; n: number }) =>
    !agreed.some(({ agreement, ...of }) => of.lineId === lineId && isNeverAsked(agreement, n))
  const page = order.pageId && order.pageVersion ? await pageOf(db, order.pageId, order.pageVersion) : null
  return {
    ...shown,
    ...settling,
    /** The checkout page on which it was placed, in the version that its buyer saw; null of older orders. */
    page,
    /** The order after which this one was offered; null where there is none. */
    follows: near.find((one) => one.id === followsId) ?? null,
    /** What was taken after this one. */
    followedBy: near.filter((one) => one.id !== followsId),
    lines: lines.map((line) => ({ ...line, courses: opened.filter(({ lineId }) => lineId === line.id) })),
    // Set-up, trial and deposit are named wherever payments are listed.
    payments: itsPayments.filter(isAsked).map((payment) => ({ ...payment, name: named.get(payment.id) ?? null })),
    agreements: agreed.map(({ agreement: _, ...one }) => one),
    attempts: tries,
    grants: itsGrants,
    messages: sent,
    journal: events,
  }
}

/** What came and went for an order by a person's hand or word: transfers, refunds, disputes. */
async function settlingOf(services: Services, orderId: string) {
  const { db } = services
  const [order] = await db.select().from(orders).where(eq(orders.id, orderId))
  const [came, given, disputed, charges] = await Promise.all([
    db.select().from(transfers).where(eq(transfers.orderId, orderId)).orderBy(asc(transfers.createdAt)),
    db.select().from(refunds).where(eq(refunds.orderId, orderId)).orderBy(asc(refunds.createdAt)),
    db.select().from(disputes).where(eq(disputes.orderId, orderId)).orderBy(asc(disputes.createdAt)),
    chargesOf(services, db, orderId),
  ])
  const today = await schoolDay(services)
  const saved = await savedMethodOf(services, db, orderId, today)
  return {
    today,
    /** The saved method by which what a buyer keeps can be charged again; null where there is none. */
    chargedAgainTo: saved?.method ?? null,
    awaited: order ? await awaitedOf(db, order) : null,
    /** Of an order that waits for its money: lines that another has opened by now, so that it opens nothing for them. */
    openedElsewhere: order?.state === 'paying' ? [...(await duplicatesOf(db, order, today)).keys()] : [],
    transfers: came,
    refunds: given.map(({ key: _key, ...refund }) => refund),
    disputes: disputed,
    charges,
  }
}

/** The agreements of an order: how each stands, and what comes next. */
async function agreementsOf(base: Services, mode: Mode, orderId: string) {
  const { db } = base
  const rows = await db.select({ id: agreements.id }).from(agreements).where(eq(agreements.orderId, orderId))
  const services = await inMode(base, mode)
  const [day, { retryAfterDays }] = await Promise.all([schoolDay(services), getSchool(db)])
  return Promise.all(
    rows.map(async ({ id }) => {
      const held = await readAgreement(db, id)
      const { row, agreement, line } = held
      const next = nextPayment(agreement)
      return {
        id,
        lineId: line.id,
        agreement,
        kind: agreement.kind,
        state: agreement.state,
        method: row.method,
        hasMethod: row.savedMethod !== null,
        collected: agreement.collected,
        count: agreement.endless ? null : agreement.payments.length,
        tries: agreement.tries,
        next: next ? { n: next.n, pay: next.pay, due: next.due, on: nextTryOf(agreement, retryAfterDays) } : null,
        toPay: payableOn(agreement, day).reduce((sum, { pay }) => sum + pay, 0),
        /** What is tried now where the creator asks for it; null where nothing is due. */
        due: payableOn(agreement, day).length > 0 ? manualPaymentOn(agreement, day) : null,
        /** All that a plan still owes, due or not. */
        owed: restOf(agreement).reduce((sum, { pay }) => sum + pay, 0),
        isOwed: owes(agreement) && next !== undefined,
        isWrittenOff: agreement.kind === 'installments' && agreement.cancelled?.when === 'period-end',
        mayUncancel: afterTakenBack(agreement, day) !== null && !(await hasRefund(db, line.id)),
        stoppedByHand: agreement.state === 'stopped' && agreement.tries <= retryAfterDays.length,
      }
    }),
  )
}

/** What a page was called in a version of it. */
async function pageOf(db: Queryable, id: string, version: number) {
  const [[row], content] = await Promise.all([
    db
      .select({
        slug: checkoutPages.slug,
        isEveryday: checkoutPages.isEveryday,
        title: sql<string | null>`${catalogue.draft}->>'title'`,
      })
      .from(checkoutPages)
      .leftJoin(catalogue, eq(catalogue.id, checkoutPages.productId))
      .where(eq(checkoutPages.id, id)),
    versionOf(db, 'page', id, version),
  ])
  return row ? { id, version, name: content?.name || row.title, isEveryday: row.isEveryday } : null
}
