import { and, desc, eq, isNull, sql } from 'drizzle-orm'
import { creditorReference } from '../../core/bank/reference.ts'
import { BANK_TRANSFER_ID } from '../../gateways/bankTransfer.ts'
import type { Queryable, Transaction } from '../db/client.ts'
import type { Mode } from '../db/schema/columns.ts'
import { attempts, connections, orders, transfers } from '../db/schema/index.ts'
import type { Attempt, Order } from '../fulfilment/notes.ts'
import { settleAttempt } from '../fulfilment/settle.ts'
import { notFound, Problem } from '../http/problem.ts'
import { inMode, type Services } from '../platform/context.ts'

/** Whether an attempt is paid by transfer to the school's own account: nobody can be asked about it. */
export async function isByTransfer({ db }: { db: Queryable }, { connectionId }: Attempt): Promise<boolean> {
  const [row] = await db
    .select({ adapter: connections.adapter })
    .from(connections)
    .where(eq(connections.id, connectionId))
  return row?.adapter === BANK_TRANSFER_ID
}

/** The reference that a buyer writes into their transfer (ISO 11649), so that whoever sees the money knows the order. */
export function referenceOf({ mode, number }: Pick<Order, 'mode' | 'number'>): string {
  return creditorReference(`${mode === 'practice' ? 'P' : 'L'}${number}`)
}

/** Leaves an attempt waiting for its transfer. */
export async function awaitTransfer(services: Services, { id, orderId }: Attempt): Promise<void> {
  const [order] = await services.db.select().from(orders).where(eq(orders.id, orderId))
  if (!order) throw notFound('order')
  const awaited = { state: 'awaited' as const, reference: referenceOf(order), method: 'bank transfer' }
  await settleAttempt(await inMode(services, order.mode), id, awaited, 'answer')
}

/** The marks that count for an attempt. */
export function countingFor(attemptId: string) {
  return and(eq(transfers.attemptId, attemptId), isNull(transfers.takenBackAt), eq(transfers.isSurplus, false))
}

/** What has come for an attempt so far, in minor units. */
export async function receivedFor(db: Queryable, attemptId: string): Promise<number> {
  const [row] = await db
    .select({ amount: sql<number>`coalesce(sum(${transfers.amount}), 0)::float8` })
    .from(transfers)
    .where(countingFor(attemptId))
  return row?.amount ?? 0
}

/** The order, locked, with its newest attempt by transfer. @throws Problem 404, or 409 where it has none. */
export async function holdTransfer(
  tx: Transaction,
  mode: Mode,
  orderId: string,
): Promise<{ order: Order; attempt: Attempt }> {
  const [order] = await tx
    .select()
    .from(orders)
    .where(and(eq(orders.id, orderId), eq(orders.mode, mode)))
    .for('no key update')
  if (!order) throw notFound('order')
  const [row] = await tx
    .select({ attempt: attempts })
    .from(attempts)
    .innerJoin(connections, eq(connections.id, attempts.connectionId))
    .where(and(eq(attempts.orderId, orderId), eq(connections.adapter, BANK_TRANSFER_ID)))
    .orderBy(desc(attempts.startedAt))
    .limit(1)
  if (!row) throw new Problem(409, 'no-transfer', 'This order is not paid by bank transfer.')
  return { order, attempt: row.attempt }
}
