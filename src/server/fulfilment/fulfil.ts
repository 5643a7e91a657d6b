import { and, asc, eq, inArray, not, sql } from 'drizzle-orm'
import type { Day } from '../../core/calendar/day.ts'
import { beginAgreement } from '../../core/collecting/agreement.ts'
import { opensOn } from '../../core/quote/access.ts'
import { readStoredQuote } from '../../core/quote/stored.ts'
import type { QuotedLine, QuotedOffer } from '../../core/quote/types.ts'
import { paidMeanwhile } from '../access/heldAlready.ts'
import { grantDates, storedOf } from '../agreements/agreements.ts'
import type { SavedMethod } from '../charging/paymentMethods.ts'
import { markCodesUsed } from '../coupons/uses.ts'
import type { Transaction } from '../db/client.ts'
import {
  agreements,
  connections,
  courses,
  grants,
  lineCourses,
  orderLines,
  orders,
  payments,
  productCourses,
  products,
} from '../db/schema/index.ts'
import { type JournalEvent, recordAll } from '../journal/journal.ts'
import { bookCollected } from '../ledger/book.ts'
import { queueMessage } from '../outbox/queue.ts'
import type { Within } from '../platform/context.ts'
import { dayFor, getSchool } from '../school/service.ts'
import { shareFee } from './fees.ts'

type Order = typeof orders.$inferSelect

/** What follows when an order is paid: its payments count, its courses open, what was promised begins, all from its lines. */

/** A line of an order with the courses that it opens, and its product's name in the books. */
export type OpeningLine = Awaited<ReturnType<typeof linesOf>>[number]

/** The lines of an order in their order, each with the courses that it opens. */
export async function linesOf(tx: Transaction, orderId: string) {
  const [lines, opened] = await Promise.all([
    tx
      .select({ line: orderLines, product: products.bookName, kind: products.kind })
      .from(orderLines)
      .innerJoin(products, eq(products.id, orderLines.productId))
      .where(eq(orderLines.orderId, orderId))
      .orderBy(asc(orderLines.position)),
    tx
      .select({ lineId: lineCourses.lineId, courseId: lineCourses.courseId, title: lineCourses.title })
      .from(lineCourses)
      .innerJoin(orderLines, eq(orderLines.id, lineCourses.lineId))
      .where(eq(orderLines.orderId, orderId))
      .orderBy(asc(lineCourses.position)),
  ])
  return lines.map((one) => ({ ...one, courses: opened.filter(({ lineId }) => lineId === one.line.id) }))
}

/**
 * What bundles of an order open by now: a course that joined while the order waited opens too, with weight 0; one that
 * left stays, as it was ordered with it (selling rules, section 4). Whoever changes the courses waits for this.
 */
async function withJoined(tx: Transaction, lines: readonly OpeningLine[]): Promise<readonly OpeningLine[]> {
  const ids = lines.flatMap(({ line, kind }) => (kind === 'bundle' ? [line.productId] : []))
  if (ids.length === 0) return lines
  await tx
    .select({ id: products.id })
    .from(products)
    .where(inArray(products.id, ids))
    .orderBy(asc(products.id))
    .for('share')
  const opened = await tx
    .select({ productId: productCourses.productId, courseId: courses.id, live: courses.live, draft: courses.draft })
    .from(productCourses)
    .innerJoin(courses, eq(courses.id, productCourses.courseId))
    .where(inArray(productCourses.productId, ids))
    .orderBy(asc(productCourses.position))
  const joined = lines.map((one) => {
    if (one.kind !== 'bundle') return { ...one, fresh: [] }
    const has = new Set(one.courses.map(({ courseId }) => courseId))
    const fresh = opened
      .filter(({ productId, courseId }) => productId === one.line.productId && !has.has(courseId))
      .map(({ courseId, live, draft }) => ({ lineId: one.line.id, courseId, title: (live ?? draft).title }))
    return { ...one, courses: [...one.courses, ...fresh], fresh }
  })
  const rows = joined.flatMap(({ courses: all, fresh }) =>
    fresh.map((course, index) => ({ ...course, position: all.length - fresh.length + index, weight: 0 })),
  )
  if (rows.length > 0) await tx.insert(lineCourses).values(rows)
  return joined
}

/** What collected what was due on the purchase day, and what it cost; null where nothing was due. */
export type Collecting = { id: string; connectionId: string; fee: number } | null

/** Lines of an order whose courses another order opened meanwhile, with that order. */
type Duplicates = ReadonlyMap<string, string>

/** Marks the payments of an order's purchase day as collected, each with its part of the fee, and books them. */
async function collectToday(
  services: Within,
  order: Order,
  lines: readonly OpeningLine[],
  by: Collecting,
  duplicates: Duplicates,
) {
  const { db: tx } = services
  const { id, quote } = order
  const due = quote.lines.flatMap(({ payments: all }) => all.filter((payment) => payment.due === quote.purchaseDay))
  const isOne = due.length === 1
  const [collected, [paymentMethod]] = await Promise.all([
    tx
      .update(payments)
      .set({
        state: 'collected',
        attemptId: by?.id ?? null,
        collectedAt: services.now(),
        fee: isOne ? (by?.fee ?? 0) : 0,
      })
      .where(and(eq(payments.orderId, id), eq(payments.due, quote.purchaseDay)))
      .returning({ id: payments.id, lineId: payments.lineId, pay: payments.pay, tax: payments.tax, fee: payments.fee }),
    by ? tx.select({ adapter: connections.adapter }).from(connections).where(eq(connections.id, by.connectionId)) : [],
  ])
  if (!by || !paymentMethod) return
  const shared = isOne ? collected : await shareFee(tx, by.fee, collected)
  const booked = shared.flatMap(({ id: paymentId, lineId, pay, tax, fee }) => {
    const of = lines.find(({ line }) => line.id === lineId)
    if (!of || pay === 0) return []
    const as = duplicates.has(lineId) ? ('overpaid' as const) : ('sale' as const)
    return [{ paymentId, lineId, offerId: of.line.offerId, product: of.product, pay, tax, fee, as }]
  })
  await bookCollected(services, order, by.id, { method: paymentMethod.adapter, paid: booked })
}

/**
 * Which lines of an order buy what another order opened while this one waited. What costs nothing is opened again.
 * Two orders of one buyer that are settled in the same moment wait for each other here.
 */
async function duplicatesIn(tx: Transaction, order: Order, lines: readonly OpeningLine[], day: Day) {
  await tx.execute(sql`select pg_advisory_xact_lock(hashtextextended(${order.personId}::text, 0))`)
  const duplicates = new Map<string, string>()
  for (const { line, courses } of lines) {
    if (!costs(line.quoted)) continue
    const ids = courses.map(({ courseId }) => courseId)
    const first = await paidMeanwhile(tx, order, ids, day)
    if (first) duplicates.set(line.id, first)
  }
  return duplicates
}

function costs({ payments: all, untilCancelled }: QuotedLine): boolean {
  return untilCancelled || all.some(({ pay }) => pay > 0)
}

/**
 * Lines whose courses another order opened meanwhile: their money is booked as not owed, nothing more is charged for
 * them, and they stand under attention until they are refunded. The buyer is told.
 */
async function markPaidTwice(services: Within, order: Order, duplicates: Duplicates): Promise<JournalEvent[]> {
  const { db: tx } = services
  const { id: orderId, personId, mode, currency, quote } = order
  const about = { orderId, personId }
  const ids = [...duplicates.keys()]
  for (const [id, duplicateOf] of duplicates) {
    await tx.update(orderLines).set({ duplicateOf }).where(eq(orderLines.id, id))
  }
  await tx
    .update(payments)
    .set({ state: 'written-off' })
    .where(and(inArray(payments.lineId, ids), not(eq(payments.due, quote.purchaseDay))))
  const { queued, writes } = queueMessage(services, { ...about, mode, kind: 'paid-twice' })
  await Promise.all(writes)
  const [row] = await tx
    .select({ amount: sql<number>`coalesce(sum(${payments.pay}), 0)::float8` })
    .from(payments)
    .where(and(inArray(payments.lineId, ids), eq(payments.due, quote.purchaseDay)))
  return [{ about, what: 'order-paid-twice', data: { amount: row?.amount ?? 0, currency } }, queued]
}

/** Whether a line has payments to come after the purchase day. */
export function hasLaterPayments({ payments: all, untilCancelled }: QuotedLine, purchaseDay: string): boolean {
  return untilCancelled || all.some(({ n, due }) => n > 0 && due > purchaseDay)
}

/**
 * Marks an order paid, its payments of today collected, and opens its courses, in the caller's
 * transaction. What another order opened while this one waited is not opened again: its money stands as paid twice.
 * `by` is null where nothing was due; `before` is what led to it,
 * for the journal; `savedMethod` is what later payments are charged to.
 */
export async function markPaid(
  services: Within,
  order: Order,
  ordered: readonly OpeningLine[],
  by: Collecting,
  before: JournalEvent[],
  savedMethod: SavedMethod | null,
): Promise<void> {
  const { db: tx } = services
  const at = services.now()
  const { mode, personId, id: orderId } = order
  const about = { orderId, personId }
  const school = await getSchool(tx)
  const placedOn = dayFor(school, at)
  const { purchaseDay } = order.quote
  const lines = await withJoined(tx, ordered)
  // An order of nothing is paid in the moment in which it is placed: no other comes between.
  const duplicates: Duplicates = by ? await duplicatesIn(tx, order, lines, placedOn) : new Map()
  await Promise.all([
    tx.update(orders).set({ state: 'paid', paidAt: at, placedOn }).where(eq(orders.id, orderId)),
    collectToday(services, order, lines, by, duplicates),
  ])
  const over = order.quote.codes.length > 0 ? await markCodesUsed(tx, orderId) : []
  const twice: JournalEvent[] = [
    ...(duplicates.size > 0 ? await markPaidTwice(services, order, duplicates) : []),
    ...over.map((code): JournalEvent => ({ about, what: 'code-over-limit', data: { code } })),
  ]
  const fresh = lines.filter(({ line }) => !duplicates.has(line.id))
  if (fresh.length === 0) return recordAll(tx, at, [...before, ...twice])
  const request = readStoredQuote(order.quoteInput)
  const begun = fresh.map(({ line, courses }) => {
    const offer = request.lines[line.position]?.offer as QuotedOffer
    return { line, courses, offer, agreement: beginAgreement(line.quoted, offer.terms.kind, purchaseDay) }
  })
  const opened = begun.flatMap(({ line, courses, offer, agreement }) => {
    const opens = opensOn(offer.access, placedOn)
    const dates = grantDates(offer, agreement, line, { purchaseDay, placedOn })
    return courses.map(({ courseId, title }) => ({
      title,
      grant: {
        mode,
        personId,
        courseId,
        orderId,
        lineId: line.id,
        offerId: line.offerId,
        opens,
        createdAt: at,
        ...dates,
      },
    }))
  })
  const promised = begun.flatMap(({ line, agreement }) => (agreement ? [{ line, agreement }] : []))
  if (promised.length > 0) {
    if (!savedMethod) throw new Error(`Order ${order.number} has payments to come, and nothing to charge them to.`)
    const { retryAfterDays } = school
    const { connectionId, reference, method, expires } = savedMethod
    await tx.insert(agreements).values(
      promised.map(({ line, agreement }) => ({
        ...storedOf(agreement, retryAfterDays),
        mode,
        personId,
        orderId,
        lineId: line.id,
        connectionId,
        savedMethod: reference,
        method,
        expires,
        createdAt: at,
      })),
    )
  }
  const { queued, writes } = queueMessage(services, { mode, kind: 'receipt', personId, orderId })
  const sold =
    school.saleNotices === 'each' ? queueMessage(services, { mode, kind: 'creator-sold', personId, orderId }) : null
  await Promise.all([
    tx.insert(grants).values(opened.map(({ grant }) => grant)),
    ...writes,
    ...(sold?.writes ?? []),
    recordAll(tx, at, [
      ...before,
      { about, what: 'order-paid', data: { amount: order.payToday, currency: order.currency } },
      ...twice,
      ...promised.map(
        (): JournalEvent => ({ about, what: 'agreement-begun', data: { method: savedMethod?.method ?? null } }),
      ),
      ...opened.map(({ title: course, grant: { opens, closes } }): JournalEvent => {
        return { about, what: 'course-opened', data: { course, opens, closes } }
      }),
      queued,
      ...(sold ? [sold.queued] : []),
    ]),
  ])
}
