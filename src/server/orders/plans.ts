import { asc, desc, eq, inArray } from 'drizzle-orm'
import type { Queryable } from '../db/client.ts'
import { agreements, orderLines, orders, payments } from '../db/schema/index.ts'

/** A buyer's agreements with what was paid and what comes when, newest first. */
export async function plansOf(db: Queryable, personId: string) {
  const rows = await db
    .select({ lineId: agreements.lineId, method: agreements.method, currency: orders.currency, line: orderLines })
    .from(agreements)
    .innerJoin(orders, eq(orders.id, agreements.orderId))
    .innerJoin(orderLines, eq(orderLines.id, agreements.lineId))
    .where(eq(agreements.personId, personId))
    .orderBy(desc(agreements.createdAt))
  if (rows.length === 0) return []
  const scheduled = await db
    .select()
    .from(payments)
    .where(
      inArray(
        payments.lineId,
        rows.map(({ lineId }) => lineId),
      ),
    )
    .orderBy(asc(payments.due), asc(payments.n))
  return rows.map(({ lineId, method, currency, line }) => ({
    course: line.courseTitle,
    offer: line.offerName,
    method,
    currency,
    endless: line.quoted.untilCancelled,
    payments: scheduled
      .filter((payment) => payment.lineId === lineId)
      .map(({ due, pay, state }) => ({ due, pay, isCollected: state === 'collected' })),
  }))
}
