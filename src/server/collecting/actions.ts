import { and, eq } from 'drizzle-orm'
import type { Day } from '../../core/calendar/day.ts'
import {
  type Agreement,
  afterCancelled,
  afterStopped,
  afterTakenBack,
  afterWrittenOff,
  nextPayment,
  owes,
  restOf,
  UNTRIED,
} from '../../core/collecting/agreement.ts'
import { hasRefund, holdAgreement, type LoadedAgreement, saveAgreement } from '../agreements/agreements.ts'
import { payments } from '../db/schema/index.ts'
import type { MessageKind } from '../db/schema/messages.ts'
import { fieldProblem, Problem } from '../http/problem.ts'
import { type JournalEvent, record, recordAll } from '../journal/journal.ts'
import { queueMessage } from '../outbox/queue.ts'
import type { Services, Within } from '../platform/context.ts'
import { onceInTransaction } from '../platform/keyedRequest.ts'
import { schoolDay } from '../school/service.ts'

/** Who does something to an agreement: its buyer, or the creator for them. */
export type Hand = 'buyer' | 'creator'

/**
 * Cancels a subscription: no payment is tried any more. `period-end` leaves the course open as far as it is
 * paid, `now` closes it today.
 * @throws Problem 409 where it does not go on, or is none.
 */
export async function cancelAgreement(
  services: Services,
  agreementId: string,
  when: 'now' | 'period-end',
  by: Hand,
): Promise<void> {
  await onceInTransaction(services, async (services) => {
    const { db: tx } = services
    const held = await holdAgreement(tx, agreementId)
    const next = afterCancelled(held.agreement, await schoolDay(services), when)
    if (!next) throw new Problem(409, 'not-cancellable', 'There is nothing to cancel: this agreement has ended.')
    await end(services, held, next, { about: aboutOf(held), what: 'agreement-cancelled', data: { when, by } })
  })
}

/**
 * Takes a cancelling back: the subscription goes on as if it had not been, and nothing is charged by it. The buyer is told.
 * @throws Problem 409 where its next payment was due meanwhile, or money was given back.
 */
export async function takeCancelBack(services: Services, agreementId: string, by: Hand): Promise<void> {
  await onceInTransaction(services, async (services) => {
    const { db: tx } = services
    const held = await holdAgreement(tx, agreementId)
    const { order, line } = held
    const next = afterTakenBack(held.agreement, await schoolDay(services))
    if (!next) {
      throw new Problem(409, 'too-late', 'A payment has become due since it was cancelled. Buy it again instead.')
    }
    if (await hasRefund(tx, line.id)) {
      throw new Problem(409, 'refunded', 'It was refunded since. Buy it again instead.')
    }
    await tx
      .update(payments)
      .set({ state: 'due' })
      .where(and(eq(payments.lineId, line.id), eq(payments.state, 'written-off')))
    await saveAgreement(tx, held, next)
    const about = { orderId: order.id, personId: order.personId }
    await notifyOf(services, { order, agreementId, kind: 'cancel-taken-back' }, [
      { about, what: 'cancel-taken-back', data: { by } },
    ])
  })
}

/** Stops retrying: nothing more is tried. What an installment plan owes is still owed, and can be paid by hand. */
export async function stopRetrying(services: Services, agreementId: string, note: string): Promise<void> {
  await onceInTransaction(services, async (services) => {
    const { db: tx } = services
    const held = await holdAgreement(tx, agreementId)
    const next = afterStopped(held.agreement)
    if (!next) throw new Problem(409, 'ended', 'This agreement has ended; nothing is retried any more.')
    await end(services, held, next, { about: aboutOf(held), what: 'agreement-stopped', data: { note } })
  })
}

/**
 * Writes off what a stopped installment plan still owes: nothing more is expected of it. It does not open again what not
 * paying has shut. @throws Problem 409 where it is no stopped plan.
 */
export async function writeOff(services: Services, agreementId: string, note: string): Promise<void> {
  await onceInTransaction(services, async (services) => {
    const { db: tx } = services
    const held = await holdAgreement(tx, agreementId)
    const next = afterWrittenOff(held.agreement, await schoolDay(services))
    if (!next) throw new Problem(409, 'not-stopped', 'Only a stopped plan with payments still owed can be written off.')
    const { agreement, order } = held
    const amount = restOf(agreement).reduce((sum, { pay }) => sum + pay, 0)
    const data = { amount, currency: order.currency, note }
    await end(services, held, next, { about: aboutOf(held), what: 'written-off', data })
  })
}

/** Takes a stop back: the next payment gets a full series of tries again. */
export async function resumeRetrying(services: Services, agreementId: string): Promise<void> {
  await onceInTransaction(services, async (services) => {
    const { db: tx } = services
    const held = await holdAgreement(tx, agreementId)
    const { agreement, order, line, retryAfterDays } = held
    // What stopped because every try was declined goes on only when it is paid, or is bought again.
    if (agreement.state !== 'stopped' || agreement.tries > retryAfterDays.length) {
      throw new Problem(409, 'not-stopped', 'This agreement was not stopped by hand.')
    }
    const next: Agreement = { ...agreement, state: 'active', ...UNTRIED }
    await tx
      .update(payments)
      .set({ state: 'due' })
      .where(and(eq(payments.lineId, line.id), eq(payments.state, 'written-off')))
    await saveAgreement(tx, held, next)
    await record(tx, services.now(), { orderId: order.id, personId: order.personId }, 'agreement-goes-on')
  })
}

/**
 * Moves the next payment to another day, with the reason. Later ones keep theirs; the course stays open to the new
 * day, and the buyer is told.
 * @throws Problem at `/day` where the day is past, or not before the payment after it.
 */
export async function moveDue(services: Services, agreementId: string, day: Day, reason: string): Promise<void> {
  await onceInTransaction(services, async (services) => {
    const { db: tx } = services
    const held = await holdAgreement(tx, agreementId)
    const { agreement, order, scheduled } = held
    const payment = scheduled[agreement.collected]
    const following = scheduled[agreement.collected + 1]
    if (agreement.state !== 'active' || !payment) throw new Problem(409, 'ended', 'No payments are left.')
    if (day < (await schoolDay(services))) throw fieldProblem('/day', 'This day is in the past.')
    if (following && day >= following.due) throw fieldProblem('/day', 'It must be before the payment after it.')
    await tx.update(payments).set({ due: day }).where(eq(payments.id, payment.id))
    const moved = agreement.payments.map((other, index) =>
      index === agreement.collected ? { ...other, due: day } : other,
    )
    await saveAgreement(tx, held, { ...agreement, payments: moved, ...UNTRIED })
    const about = { orderId: order.id, personId: order.personId }
    await notifyOf(services, { order, agreementId, kind: 'due-moved' }, [
      { about, what: 'due-moved', data: { n: payment.n, from: payment.due, to: day, reason } },
    ])
  })
}

/** Sends the buyer a new link that pays what is due or comes next, also for what is not late. @throws Problem 409 where nothing is. */
export async function sendPayLink(services: Services, agreementId: string): Promise<void> {
  await onceInTransaction(services, async (services) => {
    const held = await holdAgreement(services.db, agreementId)
    const { order, agreement } = held
    if (!owes(agreement) || !nextPayment(agreement)) {
      throw new Problem(409, 'nothing-due', 'There is nothing to pay.')
    }
    await notifyOf(services, { order, agreementId, kind: 'pay-link' }, [])
  })
}

function aboutOf({ order }: LoadedAgreement): JournalEvent['about'] {
  return { orderId: order.id, personId: order.personId }
}

/** Ends an agreement, or how it was tried, and tells who must know. */
async function end(services: Within, held: LoadedAgreement, next: Agreement, event: JournalEvent) {
  const { db: tx } = services
  const { order, row } = held
  await saveAgreement(tx, held, next)
  if (event.what !== 'agreement-cancelled') return recordAll(tx, services.now(), [event])
  await notifyOf(services, { order, agreementId: row.id, kind: 'cancelled' }, [event])
  if (event.data.by === 'buyer') await notifyOf(services, { order, agreementId: row.id, kind: 'creator-cancelled' }, [])
}

/** Queues a message about an agreement and writes what happened. */
export async function notifyOf(
  services: Within,
  { order, agreementId, kind }: { order: LoadedAgreement['order']; agreementId: string; kind: MessageKind },
  events: JournalEvent[],
) {
  const { db: tx } = services
  const { mode, personId } = order
  const { queued, rows } = queueMessage(services, { mode, kind, personId, orderId: order.id, agreementId })
  await recordAll(tx, services.now(), [...events, queued], rows)
}
