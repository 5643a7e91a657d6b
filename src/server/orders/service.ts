import { and, asc, desc, eq, lt, or, sql } from 'drizzle-orm'
import * as v from 'valibot'
import { afterTakenBack, inHand, nextTryOf, payableOn } from '../../core/collecting/agreement.ts'
import { namePayment } from '../../core/sentence/sentence.ts'
import { listMessages } from '../access/service.ts'
import { explainGrants } from '../access/why.ts'
import { awaitedOf } from '../checkout/awaited.ts'
import { readAgreement } from '../collecting/agreements.ts'
import { inMode, type Services } from '../context.ts'
import type { Mode } from '../db/schema/columns.ts'
import {
  agreements,
  attempts,
  connections,
  disputes,
  journal,
  ORDER_STATES,
  orderLines,
  orders,
  payments,
  people,
  refunds,
  transfers,
} from '../db/schema/index.ts'
import { notFound } from '../http/problem.ts'
import { sumsOfMode } from '../money/sums.ts'
import { chargesOf } from '../refunds/service.ts'
import { getSchool, schoolDay } from '../school/service.ts'
import { termsOf } from './plans.ts'
import { agreementStanding } from './standing.ts'

const PAGE = 40

export const ordersQuery = v.object({
  search: v.optional(v.pipe(v.string(), v.trim(), v.maxLength(100)), ''),
  state: v.optional(v.picklist([...ORDER_STATES, 'all']), 'all'),
  /** The last number of the page before. */
  before: v.optional(v.pipe(v.string(), v.regex(/^\d{1,9}$/, 'This page does not exist.'))),
})

/** Orders of one mode, newest first, a page at a time by the number of the last one seen. */
export async function listOrders(
  { db }: Services,
  mode: Mode,
  { search, state, before }: v.InferOutput<typeof ordersQuery>,
) {
  const pattern = `%${search.toLowerCase().replace(/[\\%_]/g, '\\$&')}%`
  const rows = await db
    .select({
      id: orders.id,
      number: orders.number,
      state: orders.state,
      payToday: orders.payToday,
      currency: orders.currency,
      createdAt: orders.createdAt,
      buyer: people.name,
      email: people.email,
      course: orderLines.courseTitle,
      offer: orderLines.offerName,
      agreement: agreementStanding,
    })
    .from(orders)
    .innerJoin(people, eq(people.id, orders.personId))
    .innerJoin(orderLines, and(eq(orderLines.orderId, orders.id), eq(orderLines.position, 0)))
    .leftJoin(agreements, eq(agreements.lineId, orderLines.id))
    .where(
      and(
        eq(orders.mode, mode),
        state === 'all' ? undefined : eq(orders.state, state),
        before === undefined ? undefined : lt(orders.number, Number(before)),
        search ? or(sql`${orders.searchText} like ${pattern}`, numberIn(search)) : undefined,
      ),
    )
    .orderBy(desc(orders.number))
    .limit(PAGE + 1)
  const page = rows.slice(0, PAGE)
  return { orders: page, next: rows.length > PAGE ? (page.at(-1)?.number ?? null) : null }
}

function numberIn(search: string) {
  return /^\d{1,9}$/.test(search) ? eq(orders.number, Number(search)) : undefined
}

/** What orders of a mode came to, for the sentence above the list. */
export async function sumOrders({ db }: Services, mode: Mode) {
  const [row] = await db
    .select({
      paid: sql<number>`(count(*) filter (where ${orders.state} = 'paid'))::int`,
      open: sql<number>`(count(*) filter (where ${orders.state} <> 'paid'))::int`,
    })
    .from(orders)
    .where(eq(orders.mode, mode))
  const money = await sumsOfMode(db, mode)
  return { paid: row?.paid ?? 0, open: row?.open ?? 0, ...money }
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
      duplicateOf: orders.duplicateOf,
      createdAt: orders.createdAt,
      paidAt: orders.paidAt,
      person: { id: people.id, name: people.name, email: people.email },
    })
    .from(orders)
    .innerJoin(people, eq(people.id, orders.personId))
    .where(and(eq(orders.id, id), eq(orders.mode, mode)))
  if (!order) throw notFound('order')
  const [lines, itsPayments, tries, itsGrants, sent, happened, agreed] = await Promise.all([
    db.select().from(orderLines).where(eq(orderLines.orderId, id)).orderBy(asc(orderLines.position)),
    db.select().from(payments).where(eq(payments.orderId, id)).orderBy(asc(payments.due), asc(payments.n)),
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
  const { quoteInput: _input, ...shown } = order
  return {
    ...shown,
    ...settling,
    lines,
    // Set-up, trial and deposit are named wherever payments are listed.
    payments: itsPayments.map((payment) => ({ ...payment, name: named.get(payment.id) ?? null })),
    agreements: agreed,
    attempts: tries,
    grants: itsGrants,
    messages: sent,
    journal: happened,
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
  return {
    today: await schoolDay(services),
    awaited: order ? await awaitedOf(db, order) : null,
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
      const next = inHand(agreement)
      return {
        id,
        lineId: line.id,
        kind: agreement.kind,
        state: agreement.state,
        method: row.method,
        hasMethod: row.kept !== null,
        collected: agreement.collected,
        count: agreement.endless ? null : agreement.payments.length,
        tries: agreement.tries,
        next: next ? { n: next.n, pay: next.pay, due: next.due, on: nextTryOf(agreement, retryAfterDays) } : null,
        toPay: payableOn(agreement, day).reduce((sum, { pay }) => sum + pay, 0),
        mayUncancel: afterTakenBack(agreement, day) !== null,
        stoppedByHand: agreement.state === 'stopped' && agreement.tries <= retryAfterDays.length,
      }
    }),
  )
}
