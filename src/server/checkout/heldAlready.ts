import { and, eq, isNull } from 'drizzle-orm'
import type { Day } from '../../core/calendar/day.ts'
import type { Queryable } from '../db/client.ts'
import { agreements, grants, orders } from '../db/schema/index.ts'

/**
 * Grants by which somebody has a course on a day so that it is not sold to them once more. What closed is bought
 * again; so is a subscription that ended unpaid. A plan that owes is paid on instead.
 */
export async function heldAlready(db: Queryable, personId: string, courseId: string, day: Day) {
  const held = await db
    .select({
      orderId: grants.orderId,
      browserHash: orders.browserHash,
      paidAt: orders.paidAt,
      closes: grants.closes,
      shuts: grants.shuts,
      kind: agreements.kind,
      state: agreements.state,
    })
    .from(grants)
    .leftJoin(orders, eq(orders.id, grants.orderId))
    .leftJoin(agreements, eq(agreements.lineId, grants.lineId))
    .where(and(eq(grants.personId, personId), eq(grants.courseId, courseId), isNull(grants.endedAt)))
  return held.filter(
    ({ closes, shuts, kind, state }) =>
      (closes === null || closes > day) &&
      !(shuts !== null && shuts <= day && kind === 'subscription' && state !== 'active'),
  )
}

/**
 * The order that was paid while this one waited, and opened all that this one would: two unpaid orders of one buyer
 * may exist, and the first that is paid counts (selling rules, section 2). Null where there is none.
 */
export async function paidMeanwhile(
  db: Queryable,
  order: Pick<typeof orders.$inferSelect, 'id' | 'personId' | 'createdAt'>,
  courseIds: readonly string[],
  day: Day,
): Promise<string | null> {
  let first: string | null = null
  for (const courseId of courseIds) {
    const held = await heldAlready(db, order.personId, courseId, day)
    const other = held.find(
      ({ orderId, paidAt }) => orderId !== null && orderId !== order.id && paidAt !== null && paidAt > order.createdAt,
    )
    if (!other) return null
    first ??= other.orderId
  }
  return first
}
