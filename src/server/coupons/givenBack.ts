import { and, eq } from 'drizzle-orm'
import type { Mode } from '../db/schema/columns.ts'
import { orders, refunds } from '../db/schema/index.ts'
import { notFound, Problem } from '../http/problem.ts'
import { type JournalEvent, recordAll } from '../journal/journal.ts'
import type { Services } from '../platform/context.ts'
import { onceInTransaction } from '../platform/keyedRequest.ts'
import { giveUsesBack } from './uses.ts'

/**
 * Lets others use the codes of an order that was refunded. @returns the codes. @throws Problem 404, or 409 where nothing
 * of it was refunded, or no code of it is used.
 */
export async function giveCodesBack(services: Services, mode: Mode, orderId: string): Promise<{ codes: string[] }> {
  return onceInTransaction(services, async ({ db: tx, now }) => {
    const [order] = await tx
      .select()
      .from(orders)
      .where(and(eq(orders.id, orderId), eq(orders.mode, mode)))
      .for('no key update')
    if (!order) throw notFound('order')
    const refunded = and(eq(refunds.orderId, orderId), eq(refunds.state, 'refunded'))
    if ((await tx.$count(refunds, refunded)) === 0) {
      throw new Problem(409, 'not-refunded', 'Nothing of this order was refunded.')
    }
    const codes = await giveUsesBack(tx, orderId)
    if (codes.length === 0) throw new Problem(409, 'no-code', 'No code of this order is used.')
    const about = { orderId, personId: order.personId }
    await recordAll(
      tx,
      now(),
      codes.map((code): JournalEvent => ({ about, what: 'code-given-back', data: { code } })),
    )
    return { codes }
  })
}
