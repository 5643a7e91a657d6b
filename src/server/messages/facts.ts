import { and, asc, desc, eq, inArray, isNotNull, isNull } from 'drizzle-orm'
import { toBuffer } from 'qrcode'
import { nextPayment, payableOn } from '../../core/collecting/agreement.ts'
import { titlesInQuotes } from '../../core/sentence/words.ts'
import { BANK_TRANSFER_ID } from '../../gateways/bankTransfer.ts'
import { isLineOpen } from '../access/service.ts'
import { readAgreement, readAgreements } from '../agreements/agreements.ts'
import type { Queryable } from '../db/client.ts'
import {
  agreements,
  attempts,
  catalogue,
  chargedAgain,
  connections,
  courses,
  creators,
  disputes,
  grants,
  lineCourses,
  type messages,
  offers,
  orderLines,
  orders,
  payments,
  type people,
  refunds,
  transfers,
} from '../db/schema/index.ts'
import { notFound } from '../http/problem.ts'
import { awaitedOf, codeTextOf } from '../orders/awaited.ts'
import { boughtOf } from '../orders/bought.ts'
import { makeOrderLink } from '../orders/orderLinks.ts'
import type { Services } from '../platform/context.ts'
import { schoolDay } from '../school/service.ts'
import { type GrewFacts, isPlainName } from './compose.ts'
import { formatDecline } from './composeAgreement.ts'
import type { CreatorFacts } from './composeForCreator.ts'
import type { AwaitedFacts, PaidTwiceFacts, RefundFacts, SurplusFacts } from './composeOrder.ts'

/** What messages say of an order is read when they are sent. */

async function firstLine({ db }: Services, orderId: string) {
  const [row] = await db
    .select({ order: orders, line: orderLines, page: catalogue.pageSlug, slug: catalogue.slug })
    .from(orders)
    .innerJoin(orderLines, and(eq(orderLines.orderId, orders.id), eq(orderLines.position, 0)))
    .innerJoin(offers, eq(offers.id, orderLines.offerId))
    .innerJoin(catalogue, eq(catalogue.id, offers.productId))
    .where(eq(orders.id, orderId))
  if (!row) throw notFound('order')
  return row
}

/** What an order holds, line by line; of some of its lines where their ids are given. */
async function thingsOf({ db }: Services, orderId: string, lineIds?: readonly string[]) {
  const rows = await db
    .select({ id: orderLines.id, course: orderLines.title, offer: orderLines.offerName })
    .from(orderLines)
    .where(eq(orderLines.orderId, orderId))
    .orderBy(asc(orderLines.position))
  return rows.filter(({ id }) => lineIds?.includes(id) ?? true).map(({ course, offer }) => ({ course, offer }))
}

const titlesOf = async (services: Services, orderId: string, lineIds?: readonly string[]) =>
  (await thingsOf(services, orderId, lineIds)).map(({ course }) => course)

/** A course that joined a bundle of an order: by its title of then, with the bundle's and the course's page. */
export async function grewFacts(
  services: Services,
  { orderId, courseTitle }: Pick<typeof messages.$inferSelect, 'orderId' | 'courseTitle'>,
): Promise<GrewFacts> {
  const { db, config } = services
  const [row] = await db
    .select({ bundle: orderLines.title, slug: courses.slug, opens: grants.opens })
    .from(lineCourses)
    .innerJoin(orderLines, eq(orderLines.id, lineCourses.lineId))
    .innerJoin(courses, eq(courses.id, lineCourses.courseId))
    .leftJoin(grants, and(eq(grants.lineId, lineCourses.lineId), eq(grants.courseId, lineCourses.courseId)))
    .where(and(eq(orderLines.orderId, orderId as string), eq(lineCourses.title, courseTitle ?? '')))
    .orderBy(desc(lineCourses.position))
    .limit(1)
  const learnLink = row ? `${config.origin}/learn/${row.slug}` : `${config.origin}/my`
  const opens = row?.opens && row.opens > (await schoolDay(services)) ? row.opens : null
  return { course: courseTitle ?? '', bundle: row?.bundle ?? '', opens, learnLink }
}

/** The titles of some courses of a line. */
async function courseTitles({ db }: Services, lineId: string, courseIds: readonly string[]): Promise<string[]> {
  const rows = await db
    .select({ title: lineCourses.title })
    .from(lineCourses)
    .where(and(eq(lineCourses.lineId, lineId), inArray(lineCourses.courseId, [...courseIds])))
    .orderBy(asc(lineCourses.position))
  return rows.map(({ title }) => title)
}

export async function awaitedFacts(services: Services, orderId: string): Promise<AwaitedFacts> {
  const { db, config } = services
  const { order, line, slug, page } = await firstLine(services, orderId)
  const [awaited, today] = await Promise.all([awaitedOf(db, order), schoolDay(services)])
  const [first] = await boughtOf(db, order, today)
  const [by] = await db
    .select({ transfer: connections.transfer })
    .from(attempts)
    .innerJoin(connections, eq(connections.id, attempts.connectionId))
    .where(eq(attempts.orderId, orderId))
    .orderBy(desc(attempts.startedAt))
    .limit(1)
  const text = awaited && by?.transfer ? codeTextOf(by.transfer, order, awaited.amount - awaited.came) : null
  return {
    number: order.number,
    titles: await titlesOf(services, orderId),
    opensLater: first && first.opens > today ? first.opens : null,
    currency: order.currency,
    amount: order.payToday,
    awaited,
    code: text ? await toBuffer(text, { errorCorrectionLevel: 'M', scale: 6 }) : null,
    orderLink: await makeOrderLink(services, orderId),
    checkoutLink: `${config.origin}/buy/${page ?? slug}?offer=${line.offerId}`,
  }
}

/** The lines of an order but for those that another order had opened. */
async function freshLines(db: Queryable, orderId: string): Promise<string[]> {
  const rows = await db
    .select({ id: orderLines.id })
    .from(orderLines)
    .where(and(eq(orderLines.orderId, orderId), isNull(orderLines.duplicateOf)))
  return rows.map(({ id }) => id)
}

/** Of an order: the lines that another order had opened, and what was paid for them today. Null once there are none. */
export async function paidTwiceFacts(services: Services, orderId: string): Promise<PaidTwiceFacts | null> {
  const { db } = services
  const { order } = await firstLine(services, orderId)
  const rows = await db
    .select({ lineId: orderLines.id, pay: payments.pay })
    .from(orderLines)
    .innerJoin(payments, and(eq(payments.lineId, orderLines.id), eq(payments.due, order.quote.purchaseDay)))
    .where(and(eq(orderLines.orderId, orderId), isNotNull(orderLines.duplicateOf)))
  if (rows.length === 0) return null
  return {
    number: order.number,
    titles: await titlesOf(
      services,
      orderId,
      rows.map(({ lineId }) => lineId),
    ),
    currency: order.currency,
    amount: rows.reduce((sum, { pay }) => sum + pay, 0),
    orderLink: await makeOrderLink(services, orderId),
  }
}

/** Transfers beyond an order's total that have not been returned yet; null where there are none. */
export async function surplusFacts(services: Services, orderId: string): Promise<SurplusFacts | null> {
  const { db } = services
  const { order } = await firstLine(services, orderId)
  const open = and(eq(transfers.isSurplus, true), isNull(transfers.takenBackAt), isNull(transfers.givenBackOn))
  const rows = await db
    .select({ amount: transfers.amount })
    .from(transfers)
    .where(and(eq(transfers.orderId, orderId), open))
  if (rows.length === 0) return null
  return {
    number: order.number,
    titles: await titlesOf(services, orderId),
    currency: order.currency,
    amount: rows.reduce((sum, { amount }) => sum + amount, 0),
    orderLink: await makeOrderLink(services, orderId),
  }
}

export async function refundFacts(services: Services, refundId: string): Promise<RefundFacts> {
  const { db } = services
  const [row] = await db
    .select({ refund: refunds, attempt: attempts, adapter: connections.adapter })
    .from(refunds)
    .innerJoin(attempts, eq(attempts.id, refunds.attemptId))
    .innerJoin(connections, eq(connections.id, attempts.connectionId))
    .where(eq(refunds.id, refundId))
  if (!row) throw notFound('refund')
  const { refund, attempt, adapter } = row
  const together = await db
    .select({ amount: refunds.amount, lineId: refunds.lineId })
    .from(refunds)
    .where(
      and(eq(refunds.orderId, refund.orderId), eq(refunds.createdAt, refund.createdAt), eq(refunds.state, 'refunded')),
    )
  const lineIds = together.map(({ lineId }) => lineId)
  const agreed = await agreementsIn(db, refund.orderId)
  const ofCourses = refund.courseIds ? await courseTitles(services, refund.lineId, refund.courseIds) : null
  return {
    titles: ofCourses ?? (await titlesOf(services, refund.orderId, lineIds)),
    courses: refund.courseIds?.length ?? new Set(lineIds).size,
    currency: attempt.currency,
    amount: together.reduce((sum, { amount }) => sum + amount, 0),
    method: attempt.method,
    isByHand: adapter === BANK_TRANSFER_ID,
    outside: refund.isOutside ? refund.reference : null,
    access: refund.access,
    endsPayments: agreed.some(({ line, agreement }) => lineIds.includes(line.id) && agreement.state === 'cancelled'),
    goesOn: agreed.flatMap(({ line, agreement, row: { nextTry } }) => {
      const next = agreement.state === 'active' ? nextPayment(agreement) : undefined
      // What is overdue is charged on the day of its next try.
      return next && nextTry ? [{ course: line.title, pay: next.pay, day: nextTry }] : []
    }),
    isOpen: await isLineOpen(services, refund.lineId),
    again: refund.awaitsId ? await againFacts(services, refund.orderId, attempt.amount, refund.awaitsId) : null,
    day: refund.day,
  }
}

/** What an order charges over time, in the order of its lines. */
async function agreementsIn(db: Queryable, orderId: string) {
  const rows = await db
    .select({ id: agreements.id })
    .from(agreements)
    .innerJoin(orderLines, eq(orderLines.id, agreements.lineId))
    .where(eq(agreements.orderId, orderId))
    .orderBy(asc(orderLines.position))
  const all = await readAgreements(
    db,
    rows.map(({ id }) => id),
  )
  return rows.flatMap(({ id }) => all.filter(({ row }) => row.id === id))
}

/** What an attempt charged again of a payment that was refunded as a whole. */
async function againFacts(services: Services, orderId: string, whole: number, attemptId: string) {
  const rows = await services.db.select().from(chargedAgain).where(eq(chargedAgain.attemptId, attemptId))
  const lineIds = rows.map(({ lineId }) => lineId)
  const charged = rows.reduce((sum, { amount }) => sum + amount, 0)
  const kept = titlesInQuotes(await titlesOf(services, orderId, lineIds))
  return { whole, charged, kept, receiptLink: `${await makeOrderLink(services, orderId)}/payments/${attemptId}` }
}

export async function creatorFacts(
  services: Services,
  message: typeof messages.$inferSelect,
  person: typeof people.$inferSelect,
): Promise<CreatorFacts | null> {
  const { db, config } = services
  const orderId = message.orderId as string
  const { order } = await firstLine(services, orderId)
  const about = {
    number: order.number,
    buyer: isPlainName(person.name) ? person.name : person.email,
    things: await thingsOf(services, orderId),
    currency: order.currency,
    ended: null,
    reference: null,
    isPractice: message.mode === 'practice',
    orderLink: `${config.origin}/studio/orders/${orderId}`,
  }
  if (message.kind === 'creator-disputed' || message.kind === 'creator-dispute-ended') {
    const [dispute] = await db
      .select()
      .from(disputes)
      .where(eq(disputes.orderId, orderId))
      .orderBy(desc(disputes.createdAt))
      .limit(1)
    const ended = dispute?.state === 'won' || dispute?.state === 'lost' ? dispute.state : null
    return { ...about, amount: dispute?.amount ?? 0, why: dispute?.reason ?? null, ended }
  }
  if (message.kind === 'creator-awaiting') {
    const awaited = await awaitedOf(db, order)
    const { reference = null } = awaited?.transfer ?? {}
    return reference === null ? null : { ...about, amount: order.payToday, why: null, reference }
  }
  if (!message.agreementId) {
    // What was paid twice is no sale.
    const [fresh, twice] = await Promise.all([freshLines(db, orderId), paidTwiceFacts(services, orderId)])
    const things = await thingsOf(services, orderId, fresh)
    return { ...about, things, amount: order.payToday - (twice?.amount ?? 0), why: null }
  }
  const { agreement, line: of } = await readAgreement(db, message.agreementId)
  const [last] = await db
    .select({ amount: attempts.amount, reason: attempts.reason, state: attempts.state })
    .from(attempts)
    .where(eq(attempts.agreementId, message.agreementId))
    .orderBy(desc(attempts.startedAt))
    .limit(1)
  const due = payableOn(agreement, await schoolDay(services)).reduce((sum, { pay }) => sum + pay, 0)
  return {
    ...about,
    // Of several things it is about the one whose payments these are.
    things: [{ course: of.title, offer: of.offerName }],
    amount: due || (last?.amount ?? 0),
    why: last?.state === 'declined' ? formatDecline(last.reason) : null,
  }
}

/** Where the creator is written to. */
export async function creatorAddress({ db }: Services): Promise<string> {
  const [creator] = await db.select({ email: creators.email }).from(creators).orderBy(asc(creators.createdAt)).limit(1)
  if (!creator) throw notFound('creator')
  return creator.email
}
