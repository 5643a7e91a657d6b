import { and, desc, eq } from 'drizzle-orm'
import { GatewayUnreachable } from '../../gateways/contract.ts'
import { derivedKey } from '../charging/attemptKey.ts'
import type { Mode } from '../db/schema/columns.ts'
import { connections, unknownPayments } from '../db/schema/index.ts'
import { openConnection } from '../gateways/service.ts'
import { notFound, Problem } from '../http/problem.ts'
import { inMode, type Services, type WithDatabase } from '../platform/context.ts'
import { isCommitted, onceInTransaction } from '../platform/keyedRequest.ts'

/** Payments in the gateways' books of a mode that no order knows, and nobody has dealt with yet. */
export async function listUnknown({ db }: Services, mode: Mode) {
  return db
    .select({
      id: unknownPayments.id,
      adapter: connections.adapter,
      amount: unknownPayments.amount,
      currency: unknownPayments.currency,
      method: unknownPayments.method,
      about: unknownPayments.about,
      reference: unknownPayments.reference,
      collectedAt: unknownPayments.collectedAt,
    })
    .from(unknownPayments)
    .innerJoin(connections, eq(connections.id, unknownPayments.connectionId))
    .where(and(eq(connections.mode, mode), eq(unknownPayments.state, 'open')))
    .orderBy(desc(unknownPayments.collectedAt))
    .limit(50)
}

async function findOpen({ db }: WithDatabase, mode: Mode, id: string) {
  const [row] = await db
    .select({ payment: unknownPayments })
    .from(unknownPayments)
    .innerJoin(connections, eq(connections.id, unknownPayments.connectionId))
    .where(and(eq(unknownPayments.id, id), eq(connections.mode, mode)))
  if (!row) throw notFound('payment')
  if (row.payment.state !== 'open') throw new Problem(409, 'settled', 'This payment has been settled.')
  return row.payment
}

/** Marks an unknown payment as dealt with, and says how. */
export async function settleUnknown(services: Services, mode: Mode, id: string, note: string): Promise<void> {
  await onceInTransaction(services, async (services) => {
    await findOpen(services, mode, id)
    await services.db
      .update(unknownPayments)
      .set({ state: 'settled', note, settledAt: services.now() })
      .where(and(eq(unknownPayments.id, id), eq(unknownPayments.state, 'open')))
  })
}

/** Refunds an unknown payment in full. @throws Problem 502 where the gateway does not answer, 409 where it refuses. */
export async function refundUnknown(base: Services, mode: Mode, id: string): Promise<void> {
  if (isCommitted(base)) return
  const services = await inMode(base, mode)
  const { connectionId, reference, amount } = await findOpen(services, mode, id)
  const { adapter, credentials } = await openConnection(services, connectionId)
  const key = derivedKey('refund of an unknown payment', reference)
  const outcome = await adapter.refund(credentials, { key, reference, amount }).catch((error: unknown) => {
    if (!(error instanceof GatewayUnreachable)) throw error
    throw new Problem(
      502,
      'gateway-unreachable',
      'The gateway does not answer at the moment. Try again; it is refunded once.',
    )
  })
  if (outcome.state === 'refused') throw new Problem(409, 'refused', outcome.why)
  await onceInTransaction(services, ({ db: tx, now }) =>
    tx
      .update(unknownPayments)
      .set({ state: 'refunded', note: outcome.reference, settledAt: now() })
      .where(eq(unknownPayments.id, id))
      .returning({ id: unknownPayments.id }),
  )
}
