import { and, asc, eq, inArray, not, sql } from 'drizzle-orm'
import type { Day } from '../../core/calendar/day.ts'
import { paidAtPurchase } from '../../core/collecting/access.ts'
import { beginAgreement } from '../../core/collecting/agreement.ts'
import { firstPhase, type StoredPhases } from '../../core/collecting/phase.ts'
import { includedIn, openingDay, openingOn, opensBy } from '../../core/quote/courseDay.ts'
import { readStoredQuote } from '../../core/quote/stored.ts'
import type { QuotedOffer } from '../../core/quote/types.ts'
import { countingOn, grantsBeside } from '../access/heldAlready.ts'
import { grantDates, storedOf } from '../agreements/agreements.ts'
import type { SavedMethod } from '../charging/paymentMethods.ts'
import { markCodesUsed } from '../coupons/uses.ts'
import type { Transaction } from '../db/client.ts'
import { anyOf, compiled } from '../db/compiled.ts'
import { insertAll, rowsOf } from '../db/insertAll.ts'
import {
  agreements,
  courses,
  grants,
  lineCourses,
  OPENING_DAY,
  orderLines,
  orders,
  payments,
  productCourses,
  products,
} from '../db/schema/index.ts'
import { type JournalEvent, recordAll } from '../journal/journal.ts'
import { bookCollected } from '../ledger/book.ts'
import { queueMessage, queueMessages } from '../outbox/queue.ts'
import type { Within } from '../platform/context.ts'
import { dayFor, type School } from '../school/service.ts'
import { type Duplicates, duplicatesIn } from './duplicates.ts'
import { shareFee } from './fees.ts'
import type { OpeningLine, OrderContext, ScheduledPayment } from './orderContext.ts'

type Order = typeof orders.$inferSelect

/** What follows when an order is paid: its payments count, its courses open, what was promised begins, all from its lines. */

/**
 * What bundles of orders open by now: a course that joined while an order waited opens too, with weight 0; one that
 * left stays, as it was ordered with it (selling rules, section 4). Courses that open after the line's access ends are not
 * included. Whoever changes the courses waits for this.
 */
async function withJoined(
  tx: Transaction,
  lines: readonly OpeningLine[],
  all: readonly { order: Order }[],
): Promise<readonly OpeningLine[]> {
  const ids = lines.flatMap(({ line, kind }) => (kind === 'bundle' ? [line.productId] : []))
  if (ids.length === 0) return lines
  await tx
    .select({ id: products.id })
    .from(products)
    .where(inArray(products.id, ids))
    .orderBy(asc(products.id))
    .for('share')
  const opened = await tx
    .select({
      productId: productCourses.productId,
      courseId: courses.id,
      live: courses.live,
      draft: courses.draft,
      opens: OPENING_DAY,
    })
    .from(productCourses)
    .innerJoin(courses, eq(courses.id, productCourses.courseId))
    .where(inArray(productCourses.productId, ids))
    .orderBy(asc(productCourses.position))
  const joined = lines.map((one) => {
    if (one.kind !== 'bundle') return { ...one, fresh: [] }
    const has = new Set(one.courses.map(({ courseId }) => courseId))
    const { order } = all.find(({ order: { id } }) => id === one.line.orderId) as { order: Order }
    const fresh = includedIn(opened, offerOf(order, one.line).access)
      .filter(({ productId, courseId }) => productId === one.line.productId && !has.has(courseId))
      .map(({ courseId, live, draft, opens }) => ({
        lineId: one.line.id,
        courseId,
        title: (live ?? draft).title,
        opens,
      }))
    return { ...one, courses: [...one.courses, ...fresh], fresh }
  })
  const rows = joined.flatMap(({ courses: all, fresh }) =>
    fresh.map(({ opens: _day, ...course }, index) => ({
      ...course,
      position: all.length - fresh.length + index,
      weight: 0,
    })),
  )
  if (rows.length > 0) await tx.insert(lineCourses).values(rows)
  return joined
}

/** The offer of a line, as it was quoted for its order. */
function offerOf({ quoteInput }: Order, { position }: { position: number }): QuotedOffer {
  return readStoredQuote(quoteInput).lines[position]?.offer as QuotedOffer
}

/** What collected what was due on the purchase day, by which payment method, and what it cost; null where nothing was due. */
export type Collecting = { id: string; adapter: string; fee: number } | null

/** An order that is paid. */
export interface Paying {
  order: Order
  by: Collecting
  /** What led to it, for the journal. */
  before: readonly JournalEvent[]
  /** What later payments are charged to. */
  savedMethod: SavedMethod | null
}

/** The same with its lines as they open now. */
interface Opening extends Paying {
  lines: readonly OpeningLine[]
}

const putCollected = compiled<{ rows: string; ids: readonly string[]; at: Date }>()((db, given) =>
  db
    .update(payments)
    .set({ state: 'collected', attemptId: sql`r.by`, collectedAt: sql`${given('at')}::timestamptz`, fee: sql`r.share` })
    .from(sql`jsonb_to_recordset(${given('rows')}::jsonb) as r (paid uuid, by uuid, share bigint)`)
    // The ids once more, so that they are looked up and not joined.
    .where(and(eq(payments.id, sql`r.paid`), sql`${payments.id} = ${anyOf(given('ids'))}`)),
)

/** Marks the payments of orders' purchase days as collected, each with its part of the fee, and books them. */
async function collectToday(
  services: Within,
  all: readonly Opening[],
  scheduled: readonly ScheduledPayment[],
  duplicates: Duplicates,
) {
  const paid = all.map((one) => {
    const { id, quote } = one.order
    const due = scheduled.filter((payment) => payment.orderId === id && payment.due === quote.purchaseDay)
    return { ...one, payments: shareFee(one.by?.fee ?? 0, due) }
  })
  const rows = paid.flatMap(({ by, payments: of }) =>
    of.map(({ id, fee }) => ({ paid: id, by: by?.id ?? null, share: fee })),
  )
  const booked = paid.flatMap(({ order, lines, by, payments: of }) => {
    if (!by) return []
    const posted = of.flatMap(({ id: paymentId, lineId, pay, tax, fee }) => {
      const line = lines.find((one) => one.line.id === lineId)
      if (!line || pay === 0) return []
      const as = duplicates.has(lineId) ? ('overpaid' as const) : ('sale' as const)
      return [{ paymentId, lineId, offerId: line.line.offerId, product: line.product, pay, tax, fee, as }]
    })
    return [{ order, attemptId: by.id, method: by.adapter, paid: posted }]
  })
  await Promise.all([
    putCollected(services.db, { rows: JSON.stringify(rows), ids: rows.map(({ paid: id }) => id), at: services.now() }),
    bookCollected(services, booked),
  ])
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
  const { queued, rows } = queueMessage(services, { ...about, mode, kind: 'paid-twice' })
  await insertAll(tx, ...rows)
  const [row] = await tx
    .select({ amount: sql<number>`coalesce(sum(${payments.pay}), 0)::float8` })
    .from(payments)
    .where(and(inArray(payments.lineId, ids), eq(payments.due, quote.purchaseDay)))
  return [{ about, what: 'order-paid-twice', data: { amount: row?.amount ?? 0, currency } }, queued]
}

const putPaid = compiled<{ ids: readonly string[]; at: Date; day: string }>()((db, given) =>
  db
    .update(orders)
    .set({ state: 'paid', paidAt: sql`${given('at')}::timestamptz`, placedOn: sql`${given('day')}::date` })
    .where(sql`${orders.id} = ${anyOf(given('ids'))}`),
)

/**
 * Marks orders paid, their payments of today collected, and opens their courses, in the caller's transaction, with as
 * many statements for many as for one. What another order opened while one waited is not opened again: its money
 * stands as paid twice. The caller holds the orders, no two of one buyer, and has read what is known of them since.
 */
export async function markPaid(services: Within, all: readonly Paying[], known: OrderContext): Promise<void> {
  const { db: tx } = services
  const at = services.now()
  const { school } = known
  const placedOn = dayFor(school, at)
  const of = (lines: readonly OpeningLine[], { id }: Order) => lines.filter(({ line }) => line.orderId === id)
  const ordered = all.flatMap(({ order }) => of(known.lines, order))
  const opening = await withJoined(tx, ordered, all)
  const paying = all.map((one) => ({ ...one, lines: of(opening, one.order) }))
  // A bundle may have grown by courses whose grants were not read before.
  const orderIds = all.map(({ order }) => order.id)
  const held = opening === ordered ? known.grants : await grantsBeside(tx, { orders: orderIds })
  const duplicates = duplicatesIn(
    // An order of nothing is paid in the moment in which it is placed: no other comes between.
    paying.filter(({ by }) => by !== null),
    countingOn(held, placedOn),
  )
  await Promise.all([
    putPaid(tx, { ids: orderIds, at, day: placedOn }),
    collectToday(services, paying, known.payments, duplicates),
    openAll(services, paying, { duplicates, school, placedOn }),
  ])
}

/** What a payment opens, promises and tells, by its orders' lines. */
async function openAll(services: Within, paying: readonly Opening[], by: OpeningBy): Promise<void> {
  const { db: tx } = services
  const { school } = by
  const opened: Opened[] = []
  for (const one of paying) opened.push(await openedBy(services, one, by))
  const fresh = opened.filter(({ grants: of }) => of.length > 0)
  const { queued, rows } = queueMessages(
    services,
    fresh.flatMap(({ order: { id: orderId, mode, personId } }) => [
      { mode, kind: 'receipt' as const, personId, orderId },
      ...(school.saleNotices === 'each' ? [{ mode, kind: 'creator-sold' as const, personId, orderId }] : []),
    ]),
  )
  const begun = opened.flatMap((one) => one.agreements)
  const granted = opened.flatMap((one) => one.grants)
  const events = opened.flatMap(({ order, events: of }) => [
    ...of,
    ...queued.filter(({ about }) => about.orderId === order.id),
  ])
  await recordAll(tx, services.now(), events, [rowsOf(agreements, begun), rowsOf(grants, granted), ...rows])
}

interface OpeningBy {
  duplicates: Duplicates
  school: School
  /** The day on which the orders are paid. */
  placedOn: Day
}

/** What follows from one order that is paid, not written yet. */
interface Opened {
  order: Order
  grants: (typeof grants.$inferInsert)[]
  agreements: (typeof agreements.$inferInsert)[]
  events: JournalEvent[]
}

async function openedBy(
  services: Within,
  { order, lines, before, savedMethod }: Opening,
  { duplicates, school, placedOn }: OpeningBy,
): Promise<Opened> {
  const { db: tx } = services
  const createdAt = services.now()
  const { mode, personId, id: orderId, quote } = order
  const { purchaseDay } = quote
  const about = { orderId, personId }
  const over = quote.codes.length > 0 ? await markCodesUsed(tx, orderId) : []
  const own = new Map([...duplicates].filter(([id]) => lines.some(({ line }) => line.id === id)))
  const twice: JournalEvent[] = [
    ...(own.size > 0 ? await markPaidTwice(services, order, own) : []),
    ...over.map((code): JournalEvent => ({ about, what: 'code-over-limit', data: { code } })),
  ]
  const fresh = lines.filter(({ line }) => !own.has(line.id))
  if (fresh.length === 0) return { order, grants: [], agreements: [], events: [...before, ...twice] }
  const request = readStoredQuote(order.quoteInput)
  const begun = fresh.map(({ line, courses: of }) => {
    const offer = request.lines[line.position]?.offer as QuotedOffer
    const agreement = beginAgreement(line.quoted, offer.terms.kind, purchaseDay)
    return { line, courses: of, basis: { ...offer, purchaseDay, placedOn }, agreement }
  })
  const granted = begun.flatMap(({ line, courses: opened, basis, agreement }) => {
    const ownOpens = opensBy({ ...basis, from: line.opensFrom }, placedOn)
    const paid = paidAtPurchase(line.quoted, purchaseDay)
    const of = { mode, personId, orderId, lineId: line.id, offerId: line.offerId }
    const grant = { ...of, ownOpens, membersOf: line.membersOf, createdAt }
    return opened.map(({ courseId, title, opens: day }) => {
      const opens = openingDay(ownOpens, day)
      return { title, grant: { ...grant, courseId, opens, ...grantDates(openingOn(basis, opens), agreement, paid) } }
    })
  })
  const promised = begun.flatMap(({ line, agreement }) => (agreement ? [{ line, agreement }] : []))
  return {
    order,
    grants: granted.map(({ grant }) => grant),
    agreements: promised.map(({ line, agreement }) => {
      if (!savedMethod) throw new Error(`Order ${order.number} has payments to come, and nothing to charge them to.`)
      const { connectionId, reference, method, expires } = savedMethod
      const charged = { connectionId, savedMethod: reference, method, expires }
      const of = { mode, personId, orderId, lineId: line.id }
      const phases: StoredPhases = { version: 1, phases: [firstPhase(request, line.position, placedOn)] }
      return { ...storedOf(agreement, school.retryAfterDays), phases, ...of, ...charged, createdAt }
    }),
    events: [
      ...before,
      { about, what: 'order-paid', data: { amount: order.payToday, currency: order.currency } },
      ...twice,
      ...promised.map(
        (): JournalEvent => ({ about, what: 'agreement-begun', data: { method: savedMethod?.method ?? null } }),
      ),
      ...granted.map(({ title: course, grant: { opens, closes } }): JournalEvent => {
        return { about, what: 'course-opened', data: { course, opens, closes } }
      }),
    ],
  }
}
