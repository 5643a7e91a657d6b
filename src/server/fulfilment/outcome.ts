import { and, eq, inArray } from 'drizzle-orm'
import { afterCollected, afterDeclined } from '../../core/collecting/agreement.ts'
import type { Outcome } from '../../gateways/contract.ts'
import { type Held, readAgreementOf, saveAgreement } from '../agreements/agreements.ts'
import { agreements, attempts, OPEN_ATTEMPTS, payments } from '../db/schema/index.ts'
import { type Happening, recordAll } from '../journal/journal.ts'
import { bookCollected } from '../ledger/book.ts'
import { queueMessage } from '../outbox/queue.ts'
import type { Within } from '../platform/context.ts'
import { shareFee } from './fees.ts'
import { type Attempt, noteSurplus, type Order, type Source } from './notes.ts'

type Collected = Extract<Outcome, { state: 'collected' }>
type Declined = Pick<Extract<Outcome, { state: 'declined' }>, 'reference' | 'reason' | 'method'>

/** What follows from a later payment that was collected. The order is locked by the caller. */
export async function laterCollected(
  services: Within,
  order: Order,
  attempt: Attempt,
  outcome: Collected,
  source: Source,
): Promise<void> {
  const { db: tx } = services
  const at = services.now()
  const held = await readAgreementOf(tx, order, attempt.agreementId as string)
  const { row } = held
  const about = { orderId: order.id, personId: order.personId }
  const covered = held.scheduled.filter(({ n }) => n >= (attempt.fromN ?? 0) && n <= (attempt.toN ?? 0))
  const { reference, currency, fee, method, kept, expires } = outcome
  const isFirst = covered[0]?.n === held.agreement.payments[held.agreement.collected]?.n
  if (covered.length === 0 || covered.some(({ state }) => state === 'collected') || !isFirst) {
    // The gateway took money for payments that were paid already. Nothing counts twice; a person must see it.
    return noteSurplus(services, order, attempt, outcome)
  }
  await tx
    .update(attempts)
    .set({ state: 'collected', reference, fee, method, kept, expires, reason: null, settledAt: at, confirmUrl: null })
    .where(eq(attempts.id, attempt.id))
  await tx
    .update(payments)
    .set({ state: 'collected', attemptId: attempt.id, collectedAt: at, fee: covered.length === 1 ? fee : 0 })
    .where(
      inArray(
        payments.id,
        covered.map(({ id }) => id),
      ),
    )
  if (covered.length > 1) await shareFee(tx, fee, covered)
  await bookCollected(services, order, attempt.id, 'sale')
  // Whoever pays by hand with a new method has the later payments charged to it too.
  if (kept && attempt.madeBy === 'buyer') {
    await tx
      .update(agreements)
      .set({ connectionId: attempt.connectionId, kept, method, expires })
      .where(eq(agreements.id, row.id))
  }
  const happened = covered.map(
    ({ n, pay }): Happening => ({
      about,
      what: 'payment-collected',
      data: { n, amount: pay, currency, reference, method, source },
    }),
  )
  await goOn(services, held, covered.length, attempt.day, happened)
}

/** The agreement after its next payments came on a day, with what is written of it; the buyer is told unless nothing was paid. */
export async function goOn(
  services: Within,
  held: Held,
  count: number,
  day: string,
  happened: Happening[],
  isTold = true,
): Promise<void> {
  const { db: tx } = services
  const { order, row } = held
  const about = { orderId: order.id, personId: order.personId }
  const wasStopped = held.agreement.state === 'stopped'
  let next = held.agreement
  for (let done = 0; done < count; done++) next = afterCollected(next, day)
  await saveAgreement(tx, held, next)
  if (wasStopped && next.state === 'active') happened.push({ about, what: 'agreement-goes-on' })
  if (next.state === 'completed') happened.push({ about, what: 'agreement-completed' })
  if (!isTold) return recordAll(tx, services.now(), happened)
  const { mode, personId } = order
  const { queued, writes } = queueMessage(services, {
    mode,
    kind: 'collected',
    personId,
    orderId: order.id,
    agreementId: row.id,
  })
  await Promise.all(writes)
  await recordAll(tx, services.now(), [...happened, queued])
}

/** What follows from a try that was declined: another later, or the agreement stops. The order is locked by the caller. */
export async function laterDeclined(
  services: Within,
  order: Order,
  attempt: Attempt,
  { reference, reason, method }: Declined,
  source: Source,
): Promise<void> {
  const { db: tx } = services
  const at = services.now()
  const held = await readAgreementOf(tx, order, attempt.agreementId as string)
  const { row } = held
  const about = { orderId: order.id, personId: order.personId }
  await tx
    .update(attempts)
    .set({ state: 'declined', reference, reason, method, settledAt: at, confirmUrl: null })
    .where(and(eq(attempts.id, attempt.id), inArray(attempts.state, [...OPEN_ATTEMPTS])))
  const { amount, currency } = attempt
  const happened: Happening[] = [
    {
      about,
      what: 'payment-declined',
      data: { n: attempt.fromN, amount, currency, reason, reference, method, source },
    },
  ]
  const isTry = attempt.madeBy === 'worker' && held.agreement.state === 'active'
  // Tries of the worker count; paying by hand is none. What was paid or ended meanwhile is left as it is.
  if (!isTry || held.agreement.payments[held.agreement.collected]?.n !== attempt.fromN) {
    return recordAll(tx, at, happened)
  }
  const next = afterDeclined(held.agreement, held.retryAfterDays, attempt.day)
  await saveAgreement(tx, held, next)
  if (next.state === 'stopped') happened.push({ about, what: 'agreement-stopped' })
  const isOver = next.state === 'stopped'
  const message = { mode: order.mode, personId: order.personId, orderId: order.id, agreementId: row.id }
  const { queued, writes } = queueMessage(services, { ...message, kind: isOver ? 'stopped' : 'declined' })
  await Promise.all(writes)
  happened.push(queued)
  // The creator hears of the first try that failed and of the end; what is between stands under what needs attention.
  if (isOver || next.tries === 1) {
    const told = queueMessage(services, { ...message, kind: isOver ? 'told-stopped' : 'told-declined' })
    await Promise.all(told.writes)
    happened.push(told.queued)
  }
  await recordAll(tx, at, happened)
}
