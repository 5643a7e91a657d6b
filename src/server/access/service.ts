import { and, asc, desc, eq, gt, isNull, type SQL, sql } from 'drizzle-orm'
import { buyAgainPathOf } from '../catalogue/products.ts'
import type { Queryable } from '../db/client.ts'
import type { Mode } from '../db/schema/columns.ts'
import { agreements, catalogue, courses, grants, offers, orders } from '../db/schema/index.ts'
import { notFound } from '../http/problem.ts'
import type { Services, WithDatabase } from '../platform/context.ts'
import { schoolDay } from '../school/service.ts'
import type { Person } from '../session/sessions.ts'
import type { Visitor } from '../session/visitor.ts'

/** A grant, and where payments go on for it, what they stand at. */
export type Grant = typeof grants.$inferSelect & {
  agreement: Pick<typeof agreements.$inferSelect, 'id' | 'state' | 'kind' | 'tries' | 'nextTry'> | null
}

/** Why a visitor may or may not enter a course today. */
export type AccessDecision =
  | { state: 'open'; grant: Grant }
  | { state: 'opens-later'; opens: string }
  /** `owes`: the agreement whose unpaid payment shut it, which paying opens again. */
  | { state: 'closed'; closed: string; owes: string | null; grant: Grant }
  | { state: 'no-grant' }

/**
 * Judges a visitor's grants of one course on a day: open when opens ≤ day < closes (pricing rules, section 8),
 * and no payment is overdue past its grace (collecting rules, section 4). The best of several grants counts.
 */
export function accessDecisionOn(day: string, held: readonly Grant[]): AccessDecision {
  const notEnded = held.filter((grant) => grant.endedAt === null)
  const open = notEnded.find((grant) => grant.opens <= day && isStillOpen(day, grant))
  if (open) return { state: 'open', grant: open }
  const later = notEnded.filter((grant) => grant.opens > day).sort((a, b) => (a.opens < b.opens ? -1 : 1))[0]
  if (later) return { state: 'opens-later', opens: later.opens }
  const [last] = notEnded
    .map((grant) => ({ grant, end: endOf(grant) }))
    .filter(({ end }) => end !== null)
    .sort((a, b) => ((a.end as string) < (b.end as string) ? 1 : -1))
  if (!last) return { state: 'no-grant' }
  const { closes, suspendedFrom, agreement } = last.grant
  const isClosed = suspendedFrom !== null && (closes === null || day < closes)
  return {
    state: 'closed',
    closed: last.end as string,
    owes: isClosed && agreement ? agreement.id : null,
    grant: last.grant,
  }
}

/**
 * The day until which a subscription is paid that goes on, and on which it renews; null of any other grant. Its closing
 * day, grace included, comes only if that payment fails.
 */
export function renewsOn({ closes, agreement }: Grant): string | null {
  const isOngoing = agreement?.state === 'active' && agreement.kind === 'subscription' && agreement.tries === 0
  return closes !== null && isOngoing ? agreement.nextTry : null
}

/** The first day on which a grant does not open as things stand: it closes, or an unpaid payment shuts it. */
function endOf({ closes, suspendedFrom }: Grant): string | null {
  return closes !== null && suspendedFrom !== null
    ? closes < suspendedFrom
      ? closes
      : suspendedFrom
    : (closes ?? suspendedFrom)
}

/** A payment that nobody has tried to collect yet, though it is its day, is not the buyer's fault. */
function isStillOpen(day: string, grant: Grant): boolean {
  const end = endOf(grant)
  if (end === null || day < end) return true
  const { agreement } = grant
  return (
    agreement?.state === 'active' && agreement.tries === 0 && agreement.nextTry !== null && agreement.nextTry <= day
  )
}

/** Whether a visitor may enter a course now, by their account or by the browser that bought it. */
export async function checkAccess(services: Services, courseId: string, visitor: Visitor): Promise<AccessDecision> {
  return accessDecisionOn(await schoolDay(services), await grantsOf(services, visitor, courseId))
}

const WITH_AGREEMENT = {
  grant: grants,
  agreement: {
    id: agreements.id,
    state: agreements.state,
    kind: agreements.kind,
    tries: agreements.tries,
    nextTry: agreements.nextTry,
  },
}

/** So long the browser that bought has the course without signing in. */
const BROWSER_ACCESS_MINUTES = 60

/** Orders that were paid after this instant are open to the browser that placed them, without signing in. */
export function browserAccessSince(now: Date): Date {
  return new Date(now.getTime() - BROWSER_ACCESS_MINUTES * 60_000)
}

/** The grants of one course that a visitor can show: by their account, or by the browser that bought it within the hour. */
export async function grantsOf(
  { db, now }: Pick<WithDatabase, 'db' | 'now'>,
  { mode, person, browserHash }: Visitor,
  courseId: string,
): Promise<Grant[]> {
  const byAccount = person
    ? await db
        .select(WITH_AGREEMENT)
        .from(grants)
        .leftJoin(agreements, eq(agreements.lineId, grants.lineId))
        .where(and(eq(grants.mode, mode), eq(grants.personId, person.id), eq(grants.courseId, courseId)))
    : []
  const byBrowser = browserHash
    ? await db
        .select(WITH_AGREEMENT)
        .from(grants)
        .innerJoin(orders, eq(orders.id, grants.orderId))
        .leftJoin(agreements, eq(agreements.lineId, grants.lineId))
        .where(
          and(
            eq(grants.mode, mode),
            eq(grants.courseId, courseId),
            eq(orders.browserHash, browserHash),
            gt(orders.paidAt, browserAccessSince(now())),
          ),
        )
    : []
  return [...byAccount, ...byBrowser].map(({ grant, agreement }) => ({ ...grant, agreement }))
}

/** Whose courses are asked for: a buyer's, or of who bought in a browser within the hour. */
export type Holder = Pick<Person, 'id'> | { browserHash: string }

/** The grants of a holder. */
function heldBy(holder: Holder, now: Date): SQL | undefined {
  if ('id' in holder) return eq(grants.personId, holder.id)
  const recent = and(eq(orders.browserHash, holder.browserHash), gt(orders.paidAt, browserAccessSince(now)))
  return sql`${grants.orderId} in (select ${orders.id} from ${orders} where ${recent})`
}

/** Where the course of a grant is bought again: the offer by which it was bought, or the course alone. */
export async function buyAgainPath(
  { db }: WithDatabase,
  { offerId, courseId }: Pick<Grant, 'offerId' | 'courseId'>,
): Promise<string> {
  const ofOffer = sql`(select ${offers.productId} from ${offers} where ${offers.id} = ${offerId})`
  const [bought] = await db
    .select({ slug: catalogue.slug, pageSlug: catalogue.pageSlug })
    .from(catalogue)
    .where(eq(catalogue.id, sql`coalesce(${ofOffer}, ${courseId})`))
  if (!bought) throw notFound('course')
  return buyAgainPathOf(bought, offerId)
}

/** Everything a holder has in a mode, newest first, with what the shelf of "My courses" shows. */
export async function coursesOf(services: Services, mode: Mode, holder: Holder) {
  const day = await schoolDay(services)
  const rows = await services.db
    .select({ ...WITH_AGREEMENT, course: courses, bought: { slug: catalogue.slug, pageSlug: catalogue.pageSlug } })
    .from(grants)
    .innerJoin(courses, eq(courses.id, grants.courseId))
    .leftJoin(offers, eq(offers.id, grants.offerId))
    // A course of a bundle is bought again with that; one that was given, alone.
    .innerJoin(catalogue, eq(catalogue.id, sql`coalesce(${offers.productId}, ${courses.id})`))
    .leftJoin(agreements, eq(agreements.lineId, grants.lineId))
    .where(and(heldBy(holder, services.now()), eq(grants.mode, mode), isNull(grants.endedAt)))
    .orderBy(desc(grants.createdAt))
  const byCourse = new Map<string, { course: (typeof rows)[number]['course']; buy: string; held: Grant[] }>()
  for (const { grant, agreement, course, bought } of rows) {
    const buy = buyAgainPathOf(bought, grant.offerId)
    const entry = byCourse.get(course.id) ?? { course, buy, held: [] }
    entry.held.push({ ...grant, agreement })
    byCourse.set(course.id, entry)
  }
  return [...byCourse.values()].map(({ course, buy, held }) => {
    const shown = course.live ?? course.draft
    const entry = accessDecisionOn(day, held)
    return {
      kind: 'course' as const,
      slug: course.slug,
      buy,
      title: shown.title,
      summary: shown.summary,
      coverColor: shown.coverColor,
      coverId: shown.coverId,
      lessons: shown.lessons.length,
      state: entry.state,
      opens: entry.state === 'opens-later' ? entry.opens : null,
      closes: entry.state === 'open' ? entry.grant.closes : entry.state === 'closed' ? entry.closed : null,
      owes: entry.state === 'closed' ? entry.owes : null,
      renews: entry.state === 'open' ? renewsOn(entry.grant) : null,
      hangsOnPayments: entry.state === 'open' && entry.grant.suspendedFrom !== null,
    }
  })
}

/** Whether a course that a line opened is open by it at the moment. */
export async function isLineOpen(services: Services, lineId: string): Promise<boolean> {
  const rows = await services.db
    .select(WITH_AGREEMENT)
    .from(grants)
    .leftJoin(agreements, eq(agreements.lineId, grants.lineId))
    .where(eq(grants.lineId, lineId))
  const held = rows.map(({ grant, agreement }) => ({ ...grant, agreement }))
  return accessDecisionOn(await schoolDay(services), held).state === 'open'
}

/** The grants of a buyer or an order, with their courses, oldest first. */
export async function listGrants(db: Queryable, of: { personId: string } | { orderId: string }) {
  const rows = await db
    .select({
      grant: grants,
      title: courses.draft,
      live: courses.live,
      slug: courses.slug,
      agreementId: agreements.id,
      agreement: { id: agreements.id, kind: agreements.kind, state: agreements.state },
      orderNumber: orders.number,
    })
    .from(grants)
    .innerJoin(courses, eq(courses.id, grants.courseId))
    .leftJoin(agreements, eq(agreements.lineId, grants.lineId))
    .leftJoin(orders, eq(orders.id, grants.orderId))
    .where('personId' in of ? eq(grants.personId, of.personId) : eq(grants.orderId, of.orderId))
    .orderBy(asc(grants.createdAt))
  return rows.map(({ grant, title, live, slug, agreementId, agreement, orderNumber }) => ({
    id: grant.id,
    courseId: grant.courseId,
    orderId: grant.orderId,
    lineId: grant.lineId,
    orderNumber,
    agreementId,
    /** What is agreed for it, where payments come over time. */
    agreement,
    slug,
    course: (live ?? title).title,
    coverColor: (live ?? title).coverColor,
    note: grant.note,
    opens: grant.opens,
    closes: grant.closes,
    /** From this day an unpaid payment shuts it, until it is paid. */
    suspendedFrom: grant.suspendedFrom,
    createdAt: grant.createdAt,
    endedAt: grant.endedAt,
    endedNote: grant.endedNote,
  }))
}
