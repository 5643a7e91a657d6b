import { and, eq, isNull } from 'drizzle-orm'
import { afterGivenBack } from '../../core/collecting/agreement.ts'
import { holdAgreement, saveAgreement } from '../collecting/agreements.ts'
import type { Within } from '../context.ts'
import { agreements, grants, orderLines } from '../db/schema/index.ts'
import type { Happening } from '../orders/journal.ts'
import { schoolDay } from '../school/service.ts'

/**
 * Closes what a line opened, and ends its agreement: nothing more is charged or owed. Done once, it changes nothing
 * any more. The caller holds the order's lock.
 * @returns what happened, for the journal.
 */
export async function closeLine(services: Within, lineId: string, note: string): Promise<Happening[]> {
  const { db: tx } = services
  const happened: Happening[] = []
  const [agreed] = await tx.select({ id: agreements.id }).from(agreements).where(eq(agreements.lineId, lineId))
  if (agreed) {
    const held = await holdAgreement(tx, agreed.id)
    const next = afterGivenBack(held.agreement, await schoolDay(services))
    const about = { orderId: held.order.id, personId: held.order.personId }
    if (next) {
      await saveAgreement(tx, held, next)
      happened.push({ about, what: 'agreement-cancelled', data: { when: 'now', by: 'creator' } })
    }
  }
  const closed = await tx
    .update(grants)
    .set({ endedAt: services.now(), endedNote: note })
    .where(and(eq(grants.lineId, lineId), isNull(grants.endedAt)))
    .returning()
  const [line] = await tx.select().from(orderLines).where(eq(orderLines.id, lineId))
  for (const { orderId, personId } of closed) {
    happened.push({
      about: { orderId, personId },
      what: 'course-taken-back',
      data: { course: line?.courseTitle ?? '', note },
    })
  }
  return happened
}
