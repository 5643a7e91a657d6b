import { and, asc, eq, inArray, isNull, sql } from 'drizzle-orm'
import { owes } from '../../core/collecting/agreement.ts'
import { lowerPhase, withoutShares } from '../../core/collecting/phase.ts'
import { readAgreements } from '../agreements/agreements.ts'
import type { Queryable } from '../db/client.ts'
import { updateAll } from '../db/insertAll.ts'
import { agreements, attempts, lineCourses, OPEN_ATTEMPTS, payments } from '../db/schema/index.ts'
import type { JournalEvent } from '../journal/journal.ts'
import type { Within } from '../platform/context.ts'

/**
 * Lowers what is still to be paid for a line by the shares of some of its courses, which were refunded: each payment loses
 * their parts of it, its tax likewise, and they earn nothing of it any more (collecting rules, section 6). What is being
 * charged in this moment stays as it is. The order is locked by the caller.
 */
export async function lowerLater(
  { db: tx }: Within,
  lineId: string,
  courseIds: readonly string[],
): Promise<JournalEvent[]> {
  const [row] = await tx.select({ id: agreements.id }).from(agreements).where(eq(agreements.lineId, lineId))
  const [held] = row ? await readAgreements(tx, [row.id]) : []
  if (!held || !owes(held.agreement)) return []
  const { phase, order } = held
  const from = Math.max(held.agreement.collected, await askedThrough(tx, held.row.id)) + 1
  const weights = phase.courses.map(({ weight }) => weight)
  const places = phase.courses.flatMap(({ id }, place) => (courseIds.includes(id) ? [place] : []))
  const due = await tx
    .select()
    .from(payments)
    .where(and(eq(payments.lineId, lineId), eq(payments.state, 'due'), sql`${payments.n} >= ${from}`))
    .orderBy(asc(payments.n))
  const lowered = due.map((payment) => withoutShares(payment, phase.tax, weights, places))
  await updateAll(
    tx,
    payments,
    'id',
    lowered.map(({ id, list, price, discount, tax, pay }) => ({ id, list, price, discount, tax, pay })),
  )
  const phases = { ...held.row.phases, phases: [...held.row.phases.phases, lowerPhase(phase, from, courseIds)] }
  await tx.update(agreements).set({ phases }).where(eq(agreements.id, held.row.id))
  await tx
    .update(lineCourses)
    .set({ paidThrough: from - 1 })
    .where(
      and(
        eq(lineCourses.lineId, lineId),
        inArray(lineCourses.courseId, [...courseIds]),
        isNull(lineCourses.paidThrough),
      ),
    )
  const [before] = due
  const [after] = lowered
  if (!before || !after) return []
  const about = { orderId: order.id, personId: order.personId }
  const data = { n: from, amount: after.pay, before: before.pay, currency: order.currency }
  return [{ about, what: 'later-lowered', data }]
}

/** The last payment of an agreement that a gateway is being asked for; 0 where none is. */
async function askedThrough(db: Queryable, agreementId: string): Promise<number> {
  const [open] = await db
    .select({ toN: attempts.toN })
    .from(attempts)
    .where(and(eq(attempts.agreementId, agreementId), inArray(attempts.state, [...OPEN_ATTEMPTS])))
  return open?.toN ?? 0
}
