import { and, asc, desc, eq, gt, inArray, isNull, or, type SQL, sql } from 'drizzle-orm'
import { buyAgainPathOf } from '../catalogue/products.ts'
import type { Queryable } from '../db/client.ts'
import type { Mode } from '../db/schema/columns.ts'
import { agreements, catalogue, courses, grants, offers, orderLines, orders } from '../db/schema/index.ts'
import { notFound } from '../http/problem.ts'
import type { Services, WithDatabase } from '../platform/context.ts'
import { dayFor, getSchool, schoolDay } from '../school/service.ts'
import type { Person } from '../session/sessions.ts'
import type { Visitor } from '../session/visitor.ts'
import {
  type AccessDecision,
  accessDecisionOn,
  type Grant,
  type GrantAlone,
  renewsOn,
  withMemberships,
} from './decision.ts'

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
export function grantsOf(
  services: Pick<WithDatabase, 'db' | 'now'>,
  visitor: Visitor,
  courseId: string,
): Promise<Grant[]> {
  return grantsShown(services, visitor, eq(grants.courseId, courseId))
}

/** The same of several products: of courses however they were come by, of bundles those that were bought. */
export function grantsOfProducts(
  services: Pick<WithDatabase, 'db' | 'now'>,
  visitor: Visitor,
  ids: readonly string[],
): Promise<Grant[]> {
  const ofLines = services.db
    .select({ id: orderLines.id })
    .from(orderLines)
    .where(inArray(orderLines.productId, [...ids]))
  return grantsShown(services, visitor, or(inArray(grants.courseId, [...ids]), inArray(grants.lineId, ofLines)))
}

async function grantsShown(
  services: Pick<WithDatabase, 'db' | 'now'>,
  { mode, person, browserHash }: Visitor,
  which: SQL | undefined,
): Promise<Grant[]> {
  const { db, now } = services
  const byAccount = person
    ? await db
        .select(WITH_AGREEMENT)
        .from(grants)
        .leftJoin(agreements, eq(agreements.lineId, grants.lineId))
        .where(and(eq(grants.mode, mode), eq(grants.personId, person.id), which))
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
            which,
            eq(orders.browserHash, browserHash),
            gt(orders.paidAt, browserAccessSince(now())),
          ),
        )
    : []
  return withMembership(services, [...byAccount, ...byBrowser])
}

/** Grants with how the memberships stand today on which some of them hang. */
async function withMembership(
  services: Pick<WithDatabase, 'db' | 'now'>,
  rows: readonly { grant: typeof grants.$inferSelect; agreement: GrantAlone['agreement'] }[],
): Promise<Grant[]> {
  const { db, now } = services
  const held = rows.map(({ grant, agreement }) => ({ ...grant, agreement }))
  const members = held.filter(({ membersOf }) => membersOf !== null)
  if (members.length === 0) return held.map((grant) => ({ ...grant, membership: null }))
  const school = await getSchool(db)
  const all = await db
    .select({ ...WITH_AGREEMENT, productId: orderLines.productId })
    .from(grants)
    .leftJoin(agreements, eq(agreements.lineId, grants.lineId))
    .leftJoin(orderLines, eq(orderLines.id, grants.lineId))
    .where(
      inArray(
        grants.personId,
        members.map(({ personId }) => personId),
      ),
    )
  const known = all.map(({ grant, agreement, productId }) => {
    return { ...grant, agreement, productId, endedOn: grant.endedAt && dayFor(school, grant.endedAt) }
  })
  return withMemberships(dayFor(school, now()), held, known)
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
  const all = await withMembership(services, rows)
  for (const [index, { grant, course, bought }] of rows.entries()) {
    const buy = buyAgainPathOf(bought, grant.offerId)
    const entry = byCourse.get(course.id) ?? { course, buy, held: [] }
    entry.held.push(all[index] as Grant)
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
  return accessDecisionOn(await schoolDay(services), await withMembership(services, rows)).state === 'open'
}

/** The grants of a buyer or an order, with their courses, oldest first. */
export async function listGrants(
  services: Pick<WithDatabase, 'db' | 'now'>,
  of: { personId: string } | { orderId: string },
) {
  const { db } = services
  const rows = await db
    .select({
      grant: grants,
      title: courses.draft,
      live: courses.live,
      slug: courses.slug,
      agreementId: agreements.id,
      agreement: WITH_AGREEMENT.agreement,
      orderNumber: orders.number,
    })
    .from(grants)
    .innerJoin(courses, eq(courses.id, grants.courseId))
    .leftJoin(agreements, eq(agreements.lineId, grants.lineId))
    .leftJoin(orders, eq(orders.id, grants.orderId))
    .where('personId' in of ? eq(grants.personId, of.personId) : eq(grants.orderId, of.orderId))
    .orderBy(asc(grants.createdAt))
  const held = await withMembership(services, rows)
  return rows.map(({ grant, title, live, slug, agreementId, agreement, orderNumber }, index) => ({
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
    /** The courses and bundles of its membership, and how that stands; null where it hangs on none. */
    membersOf: grant.membersOf,
    membership: held[index]?.membership ?? null,
    opens: grant.opens,
    closes: grant.closes,
    /** From this day an unpaid payment shuts it, until it is paid. */
    suspendedFrom: grant.suspendedFrom,
    createdAt: grant.createdAt,
    endedAt: grant.endedAt,
    endedNote: grant.endedNote,
  }))
}

/** How products are called now, by their ids. */
export async function titlesOf(db: Queryable, ids: readonly string[]): Promise<Map<string, string>> {
  if (ids.length === 0) return new Map()
  const rows = await db
    .select({ id: catalogue.id, draft: catalogue.draft, live: catalogue.live })
    .from(catalogue)
    .where(inArray(catalogue.id, [...ids]))
  return new Map(rows.map(({ id, draft, live }) => [id, (live ?? draft).title]))
}
