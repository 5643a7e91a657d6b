import { asc, eq } from 'drizzle-orm'
import type { Day } from '../../core/calendar/day.ts'
import type { QuotedLine } from '../../core/quote/types.ts'
import { countingOn, grantsBeside, type Holding, paidMeanwhile } from '../access/heldAlready.ts'
import type { Queryable } from '../db/client.ts'
import { lineCourses, orderLines } from '../db/schema/index.ts'
import type { Order } from './notes.ts'

/** Lines whose courses another order opened meanwhile, with that order. */
export type Duplicates = ReadonlyMap<string, string>

interface Ordered {
  order: Pick<Order, 'id' | 'personId' | 'createdAt'>
  lines: readonly { line: { id: string; quoted: QuotedLine }; courses: readonly { courseId: string }[] }[]
}

/**
 * Which lines of orders buy what another order opened while they waited. What costs nothing is opened again.
 * @param held what their buyers have of these courses.
 */
export function duplicatesIn(all: readonly Ordered[], held: readonly Holding[]): Duplicates {
  const duplicates = new Map<string, string>()
  for (const { order, lines } of all) {
    for (const { line, courses } of lines) {
      if (!costs(line.quoted)) continue
      const ids = courses.map(({ courseId }) => courseId)
      const first = paidMeanwhile(held, order, ids)
      if (first) duplicates.set(line.id, first)
    }
  }
  return duplicates
}

function costs({ payments: all, untilCancelled }: QuotedLine): boolean {
  return untilCancelled || all.some(({ pay }) => pay > 0)
}

/** The lines of an unpaid order that would open nothing, were its money received on a day. */
export async function duplicatesOf(db: Queryable, order: Order, day: Day): Promise<Duplicates> {
  const rows = await db
    .select({ line: orderLines, courseId: lineCourses.courseId })
    .from(orderLines)
    .innerJoin(lineCourses, eq(lineCourses.lineId, orderLines.id))
    .where(eq(orderLines.orderId, order.id))
    .orderBy(asc(orderLines.position))
  const lines = [...new Set(rows.map(({ line }) => line.id))].map((id) => {
    const of = rows.filter(({ line }) => line.id === id)
    return { line: (of[0] as (typeof rows)[number]).line, courses: of }
  })
  return duplicatesIn([{ order, lines }], countingOn(await grantsBeside(db, { orders: [order.id] }), day))
}
