import { and, eq, isNull, sql } from 'drizzle-orm'
import type { Day } from '../../core/calendar/day.ts'
import { afterTakenBack } from '../../core/collecting/agreement.ts'
import type { QuotedLine } from '../../core/quote/types.ts'
import { hasRefund, readAgreement } from '../agreements/agreements.ts'
import type { Queryable } from '../db/client.ts'
import { anyOf, compiled } from '../db/compiled.ts'
import type { Mode } from '../db/schema/columns.ts'
import { agreements, grants, lineCourses, orderLines, orders, people } from '../db/schema/index.ts'

/** A grant by which somebody has a course, and what is agreed for it. */
export type Holding = Awaited<ReturnType<typeof heldBy>>[number]

const allGrants = (db: Queryable) =>
  db
    .select({
      personId: grants.personId,
      courseId: grants.courseId,
      orderId: grants.orderId,
      browserHash: orders.browserHash,
      paidAt: orders.paidAt,
      offerId: grants.offerId,
      agreementId: agreements.id,
      nextTry: agreements.nextTry,
      closes: grants.closes,
      suspendedFrom: grants.suspendedFrom,
      membersOf: grants.membersOf,
      kind: agreements.kind,
      state: agreements.state,
    })
    .from(grants)
    .leftJoin(orders, eq(orders.id, grants.orderId))
    .leftJoin(agreements, eq(agreements.lineId, grants.lineId))

const grantsOf = compiled<{ personIds: readonly string[]; courseIds: readonly string[] }>()((db, given) =>
  allGrants(db).where(
    and(
      sql`${grants.personId} = ${anyOf(given('personIds'))}`,
      sql`${grants.courseId} = ${anyOf(given('courseIds'))}`,
      isNull(grants.endedAt),
    ),
  ),
)

/** All grants of who has an address to some courses. */
export const grantsOfBuyer = compiled<{ mode: Mode; email: string; courseIds: readonly string[] }>()((db, given) =>
  allGrants(db).where(
    and(
      sql`${grants.personId} = (select id from ${people} where mode = ${given('mode')} and email = ${given('email')})`,
      sql`${grants.courseId} = ${anyOf(given('courseIds'))}`,
      isNull(grants.endedAt),
    ),
  ),
)

/** Grants of the buyers of orders to the courses that these would open. */
export const grantsBeside = compiled<{ orders: readonly string[] }>()((db, given) =>
  allGrants(db).where(
    and(
      sql`${grants.personId} = any (array (select o.person_id from ${orders} o where o.id = ${anyOf(given('orders'))}))`,
      sql`${grants.courseId} = any (array (select c.course_id from ${orderLines} l join ${lineCourses} c on c.line_id = l.id
        where l.order_id = ${anyOf(given('orders'))}))`,
      isNull(grants.endedAt),
    ),
  ),
)

/**
 * Grants by which people have courses on a day. What closed is bought again; so is a subscription that ended unpaid.
 * A plan that owes is paid on instead.
 */
export async function heldBy(db: Queryable, personIds: readonly string[], courseIds: readonly string[], day: Day) {
  return countingOn(await grantsOf(db, { personIds, courseIds }), day)
}

/** Those of grants that count on a day. */
export function countingOn(held: Awaited<ReturnType<typeof grantsOf>>, day: Day) {
  return held.filter(
    ({ closes, suspendedFrom, kind, state }) =>
      (closes === null || closes > day) &&
      !(suspendedFrom !== null && suspendedFrom <= day && kind === 'subscription' && state !== 'active'),
  )
}

/** The same of one person and one course. */
export function heldAlready(db: Queryable, personId: string, courseId: string, day: Day): Promise<Holding[]> {
  return heldBy(db, [personId], [courseId], day)
}

/**
 * Whether a holding makes buying a line pointless: it lasts at least as long, and depends on no further payment, nor on a
 * membership that the line does not depend on too (selling rules, section 2). Anything else can be bought beside it after
 * a warning; access is then the union of both.
 */
export function outlasts(
  { closes, state, membersOf }: Holding,
  { closes: wanted, untilCancelled }: QuotedLine,
  wantedMembersOf: readonly string[] | null,
): boolean {
  if (state === 'active' || state === 'stopped') return false
  // Access by a membership ends with it.
  if (membersOf !== null && !wantedMembersOf?.every((id) => membersOf.includes(id))) return false
  return closes === null || (wanted !== null && !untilCancelled && closes >= wanted)
}

/** The agreement of an offer that goes on, or whose cancelling can be taken back: it is not bought once more. Null: none. */
export async function sameOffer(
  db: Queryable,
  held: readonly Holding[],
  offerId: string,
  day: Day,
): Promise<{ agreementId: string; mayComeBack: boolean } | null> {
  for (const { agreementId, offerId: of, state } of held) {
    if (agreementId === null || of !== offerId) continue
    if (state === 'active' || state === 'stopped') return { agreementId, mayComeBack: false }
    const { agreement, line } = await readAgreement(db, agreementId)
    if (afterTakenBack(agreement, day) && !(await hasRefund(db, line.id))) return { agreementId, mayComeBack: true }
  }
  return null
}

/**
 * The order that was paid while this one waited, and opened all that a line of this one would: two unpaid orders of one
 * buyer may exist, and the first that is paid counts (selling rules, section 2). Null where there is none.
 * @param held what the buyer has of these courses.
 */
export function paidMeanwhile(
  held: readonly Holding[],
  order: Pick<typeof orders.$inferSelect, 'id' | 'personId' | 'createdAt'>,
  courseIds: readonly string[],
): string | null {
  let first: string | null = null
  for (const courseId of courseIds) {
    const other = held.find(
      ({ personId, courseId: of, orderId, paidAt, membersOf }) =>
        personId === order.personId &&
        of === courseId &&
        orderId !== null &&
        orderId !== order.id &&
        membersOf === null &&
        paidAt !== null &&
        paidAt > order.createdAt,
    )
    if (!other) return null
    first ??= other.orderId
  }
  return first
}
