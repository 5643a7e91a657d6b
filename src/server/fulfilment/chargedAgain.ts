import { and, eq, inArray, sql } from 'drizzle-orm'
import type { Outcome } from '../../gateways/contract.ts'
import type { Transaction } from '../db/client.ts'
import { attempts, chargedAgain, payments, refunds } from '../db/schema/index.ts'
import { record } from '../journal/journal.ts'
import { bookSurplus } from '../ledger/book.ts'
import type { Within } from '../platform/context.ts'
import { shareFee } from './fees.ts'
import { type Attempt, noteSurplus, type Order, type Source } from './notes.ts'
import { partiesOf } from './parties.ts'

/**
 * What follows where some lines of a payment are charged again, so that all of it can be refunded by a gateway that
 * refunds whole payments only (selling rules, section 6): first the new money, then the refund, so that a decline leaves
 * everything as it was.
 */

/** The new money is there; the refund that waits for it can be asked for. The order is locked by the caller. */
export async function collectedAgain(
  services: Within,
  order: Order,
  attempt: Attempt,
  outcome: Extract<Outcome, { state: 'collected' }>,
  source: Source,
): Promise<void> {
  const { db: tx } = services
  const awaited = and(eq(refunds.awaitsId, attempt.id), eq(refunds.state, 'started'))
  // It had been declined, and its refund was called off. A person must see it.
  if ((await tx.$count(refunds, awaited)) === 0) return noteSurplus(services, order, attempt, outcome)
  const at = services.now()
  const { reference, amount, currency, fee, method, savedMethod, expires } = outcome
  await tx
    .update(attempts)
    .set({
      ...{ state: 'collected', reference, fee, method, reason: null, settledAt: at, confirmUrl: null },
      savedMethod: savedMethod ?? attempt.savedMethod,
      expires: expires ?? attempt.expires,
      parties: partiesOf(sql`${attempts.orderId}`),
    })
    .where(eq(attempts.id, attempt.id))
  await bookSurplus(services, order, attempt, { amount, fee, kind: 'payment' })
  const about = { orderId: order.id, personId: order.personId }
  await record(tx, at, about, 'attempt-collected', { amount, currency, reference, method, source })
}

/**
 * The payment that an attempt replaces was refunded: what it charged again counts as collected by it from now on, and cost
 * what both did.
 */
export async function countAsCollectedBy(tx: Transaction, attempt: Attempt): Promise<void> {
  const lines = tx.select({ id: chargedAgain.lineId }).from(chargedAgain).where(eq(chargedAgain.attemptId, attempt.id))
  const recharged = await tx
    .select({ id: payments.id, pay: payments.pay })
    .from(payments)
    .where(and(eq(payments.attemptId, attempt.replacesId as string), inArray(payments.lineId, lines)))
  for (const { id, fee } of shareFee(attempt.fee ?? 0, recharged)) {
    await tx
      .update(payments)
      .set({ attemptId: attempt.id, fee: sql`${payments.fee} + ${fee}` })
      .where(eq(payments.id, id))
  }
}
