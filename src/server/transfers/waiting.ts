import { and, eq, inArray, sql } from 'drizzle-orm'
import { BANK_TRANSFER_ID } from '../../gateways/bankTransfer.ts'
import type { Mode } from '../db/schema/columns.ts'
import { attempts, connections, OPEN_ATTEMPTS, orders, transfers } from '../db/schema/index.ts'
import type { Attempt } from '../fulfilment/notes.ts'
import { settleIn } from '../fulfilment/settle.ts'
import { Problem } from '../http/problem.ts'
import { record, recordAll } from '../journal/journal.ts'
import { queueMessage } from '../outbox/queue.ts'
import { inMode, inTransaction, type Services } from '../platform/context.ts'
import { onceInTransaction } from '../platform/keyedRequest.ts'
import { dayFor, findSchool } from '../school/service.ts'

import { holdTransfer, isByTransfer, receivedFor } from './transfers.ts'

/** Waits no longer for a transfer of which nothing came: the order can be paid otherwise, or be left. */
export async function giveTransferUp(services: Services, mode: Mode, orderId: string): Promise<void> {
  await onceInTransaction(services, async (services) => {
    const { db: tx } = services
    const { order, attempt } = await holdTransfer(tx, mode, orderId)
    if (attempt.state !== 'awaiting') throw new Problem(409, 'not-awaiting', 'This order waits for no transfer.')
    if ((await receivedFor(tx, attempt.id)) > 0) {
      throw new Problem(409, 'came', 'Part of it was received. Return that at the bank, and undo its mark first.')
    }
    await settleIn(services, order, attempt, { state: 'abandoned' }, 'answer')
    await record(tx, services.now(), { orderId, personId: order.personId }, 'transfer-given-up')
  })
}

/** For so many days an order waits for its transfer, where the creator says nothing else. */
const WAIT_DAYS = 14

/**
 * Ends the transfers that nothing came of in the days that they wait for it, in a mode: their codes are free for others,
 * and the buyer is told. One of which a part came goes on waiting: a person must see it.
 */
export async function endOldTransfers(base: Services, mode: Mode): Promise<void> {
  const services = await inMode(base, mode)
  const { db } = services
  const school = await findSchool(db)
  // The worker sweeps before the school is set up, too.
  if (!school) return
  const today = dayFor(school, services.now())
  const old = await db
    .select({ orderId: attempts.orderId })
    .from(attempts)
    .innerJoin(connections, eq(connections.id, attempts.connectionId))
    .innerJoin(orders, eq(orders.id, attempts.orderId))
    .where(
      and(
        eq(orders.mode, mode),
        eq(attempts.state, 'awaiting'),
        eq(connections.adapter, BANK_TRANSFER_ID),
        sql`${attempts.day} + coalesce((${connections.transfer} ->> 'waitDays')::int, ${WAIT_DAYS}) < ${today}::date`,
        sql`not exists (select from ${transfers} t where t.attempt_id = ${attempts.id} and t.taken_back_at is null)`,
      ),
    )
  for (const { orderId } of old) {
    await inTransaction(services, async (within) => {
      const { db: tx } = within
      const { order, attempt } = await holdTransfer(tx, mode, orderId)
      if (attempt.state !== 'awaiting' || (await receivedFor(tx, attempt.id)) > 0) return
      await settleIn(within, order, attempt, { state: 'abandoned' }, 'answer')
      const about = { orderId, personId: order.personId }
      const { queued, rows } = queueMessage(within, { ...about, mode, kind: 'not-arrived' })
      await recordAll(tx, within.now(), [{ about, what: 'transfer-ended' }, queued], rows)
    })
  }
}

/**
 * Waits once more for a transfer that was ended or given up, because it came after all.
 * @throws Problem 409 where the order is paid, or is being paid in another way.
 */
export async function waitAgain(services: Services, mode: Mode, orderId: string): Promise<void> {
  await onceInTransaction(services, async (services) => {
    const { db: tx } = services
    const { order, attempt } = await holdTransfer(tx, mode, orderId)
    const others = and(eq(attempts.orderId, orderId), inArray(attempts.state, [...OPEN_ATTEMPTS]))
    if (order.state === 'paid' || attempt.state !== 'abandoned' || (await tx.$count(attempts, others)) > 0) {
      throw new Problem(409, 'not-ended', 'This order waits, or was paid in another way.')
    }
    await tx.update(attempts).set({ state: 'awaiting', settledAt: null }).where(eq(attempts.id, attempt.id))
    await tx.update(orders).set({ state: 'paying' }).where(eq(orders.id, orderId))
    await record(tx, services.now(), { orderId, personId: order.personId }, 'transfer-waits-again')
  })
}

/** Drops a transfer of which nothing has come, for another payment method; false where it may not be dropped. */
export async function dropTransfer(services: Services, attempt: Attempt): Promise<boolean> {
  if (!(await isByTransfer(services, attempt))) return false
  return inTransaction(services, async (services) => {
    const { db: tx } = services
    const [order] = await tx.select().from(orders).where(eq(orders.id, attempt.orderId)).for('no key update')
    const [now] = await tx.select().from(attempts).where(eq(attempts.id, attempt.id))
    if (!order || !now || (await receivedFor(tx, attempt.id)) > 0) return false
    await settleIn(services, order, now, { state: 'abandoned' }, 'answer')
    return true
  })
}
