import { eq, sql } from 'drizzle-orm'
import { transaction } from '../db/client.ts'
import {
  agreements,
  baskets,
  grants,
  ledger,
  messages,
  moneyDeltas,
  moneySums,
  movedDeltas,
  movedSums,
  orders,
  payments,
  people,
  school,
} from '../db/schema/index.ts'
import { Problem } from '../http/problem.ts'
import type { Services } from '../platform/context.ts'

/**
 * Deletes everything of practice: orders, buyers, messages. Courses, offers and connections stay, live data too.
 * @throws Problem 409 while its time is moving.
 */
export async function clearPractice({ db }: Services): Promise<void> {
  await transaction(db, async (tx) => {
    const [row] = await tx.select({ move: school.practiceMove }).from(school).for('update')
    if (row?.move?.state === 'moving') {
      throw new Problem(409, 'moving', 'The practice clock is moving. Stop it first, or wait until it is done.')
    }
    await tx.delete(messages).where(eq(messages.mode, 'practice'))
    await tx.delete(grants).where(eq(grants.mode, 'practice'))
    await tx.execute(sql`select set_config('ledger.clears', 'practice', true)`)
    await tx.delete(ledger).where(eq(ledger.mode, 'practice'))
    await tx.delete(movedDeltas).where(eq(movedDeltas.mode, 'practice'))
    await tx.delete(movedSums).where(eq(movedSums.mode, 'practice'))
    await tx.delete(payments).where(eq(payments.mode, 'practice'))
    await tx.delete(agreements).where(eq(agreements.mode, 'practice'))
    await tx.delete(orders).where(eq(orders.mode, 'practice'))
    await tx.delete(moneyDeltas).where(eq(moneyDeltas.mode, 'practice'))
    await tx.delete(moneySums).where(eq(moneySums.mode, 'practice'))
    await tx.delete(baskets).where(eq(baskets.mode, 'practice'))
    await tx.delete(people).where(eq(people.mode, 'practice'))
    await tx.update(school).set({ practiceAheadMs: 0, practiceMove: null })
    await tx.execute(sql`select setval('practice_order_numbers', 1001, false)`)
  })
}
