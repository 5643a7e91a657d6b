import { and, eq, isNull, sql } from 'drizzle-orm'
import * as v from 'valibot'
import { isDay } from '../../core/calendar/day.ts'
import { noonOf } from '../../core/calendar/instant.ts'
import { reserveAgain } from '../coupons/uses.ts'
import type { Transaction } from '../db/client.ts'
import type { Mode } from '../db/schema/columns.ts'
import { attempts, grants, orderLines, orders, payments, refunds, transfers } from '../db/schema/index.ts'
import { settleIn } from '../fulfilment/settle.ts'
import { amountSchema } from '../http/numbers.ts'
import { fieldProblem, Problem } from '../http/problem.ts'
import { record, recordAll } from '../journal/journal.ts'
import { bookCorrection, bookPart, bookSurplus, bookSurplusBack } from '../ledger/book.ts'
import { queueMessage } from '../outbox/queue.ts'
import type { Services } from '../platform/context.ts'
import { onceInTransaction } from '../platform/keyedRequest.ts'
import { getSchool, schoolDay } from '../school/service.ts'

import { countingFor, holdTransfer, receivedFor, referenceOf } from './transfers.ts'

const note = v.pipe(v.string(), v.trim(), v.maxLength(300, 'Use at most 300 characters.'))
export const cameSchema = v.object({
  amount: amountSchema(1, 'Write an amount.', 'Write how much was received.'),
  day: v.pipe(v.string(), v.check(isDay, 'This date does not exist.')),
  note,
  /** It came for an order that is paid already, and whoever marks it knows that. */
  isSurplus: v.optional(v.boolean()),
})

/**
 * Marks money as come by transfer, the whole or a part. Once all is there, the order is paid and its course opens. What
 * comes for an order that is paid is noted beside it: it counts for nothing, and stands under attention until it is
 * given back.
 * @throws Problem at `/day` where it lies ahead, or before the order; 409 where the order does not wait any more.
 */
export async function recordTransferReceived(
  services: Services,
  mode: Mode,
  orderId: string,
  { amount, day, note: why, isSurplus: isKnown = false }: v.InferOutput<typeof cameSchema>,
): Promise<void> {
  await onceInTransaction(services, async (services) => {
    const { db: tx } = services
    const { order, attempt } = await holdTransfer(tx, mode, orderId)
    // Marked twice, by two windows or two presses, it is no second transfer.
    const isSurplus = isKnown && attempt.state === 'collected'
    if (attempt.state !== 'awaiting' && !isSurplus) {
      throw new Problem(409, 'not-awaiting', 'This order no longer waits for a transfer. Check its current state.')
    }
    if (day > (await schoolDay(services))) throw fieldProblem('/day', 'This day is in the future.')
    if (day < order.quote.purchaseDay) {
      throw fieldProblem('/day', 'The order was placed after this day, so no money can have been received for it.')
    }
    const before = await receivedFor(tx, attempt.id)
    const missing = isSurplus ? 0 : attempt.amount - before
    const { currency, personId } = order
    const mark = async (part: number, surplus: boolean) => {
      if (part === 0) return
      const row = { orderId, attemptId: attempt.id, amount: part, day, note: why, isSurplus: surplus }
      const [made] = await tx
        .insert(transfers)
        .values({ ...row, createdAt: services.now() })
        .returning()
      if (!made) throw new Error('The transfer was not stored.')
      // What is complete at once is booked as a sale, when the order is paid by it.
      const isWhole = !surplus && before === 0 && part === attempt.amount
      if (surplus) await bookSurplus(services, order, attempt, { amount: part, transfer: made })
      else if (!isWhole) await bookPart(services, order, attempt, made)
      const what = surplus ? 'transfer-surplus' : 'transfer-came'
      await record(tx, services.now(), { orderId, personId }, what, { amount: part, currency, day, note: why })
    }
    await mark(Math.min(amount, missing), false)
    await mark(amount - Math.min(amount, missing), true)
    const kind = amount > missing ? 'transfer-surplus' : amount < missing ? 'transfer-part' : null
    if (kind) {
      const { queued, rows } = queueMessage(services, { mode, kind, personId, orderId })
      await recordAll(tx, services.now(), [queued], rows)
    }
    if (isSurplus || amount < missing) return
    const { reference, amount: asked } = attempt
    await settleIn(
      services,
      order,
      attempt,
      {
        state: 'collected',
        reference: reference ?? referenceOf(order),
        amount: asked,
        currency,
        fee: 0,
        method: 'bank transfer',
        savedMethod: null,
        expires: null,
      },
      'answer',
    )
    await dateByMarks(tx, attempt.id)
  })
}

/** The money of a transfer came on the day on which the last of it did, whenever that is marked. */
async function dateByMarks(tx: Transaction, attemptId: string): Promise<void> {
  const [last] = await tx
    .select({ day: sql<string>`max(${transfers.day})` })
    .from(transfers)
    .where(countingFor(attemptId))
  if (!last) return
  const { timeZone } = await getSchool(tx)
  await tx
    .update(payments)
    .set({ collectedAt: new Date(noonOf(timeZone, last.day)) })
    .where(eq(payments.attemptId, attemptId))
}

/**
 * Takes a mark back: the money did not come after all. Where it is no longer all there, the order waits again and
 * its course is shut. @throws Problem 409 where some of it was given back since.
 */
export async function takeMarkBack(
  services: Services,
  mode: Mode,
  orderId: string,
  transferId: string,
  why: string,
): Promise<void> {
  await onceInTransaction(services, async (services) => {
    const { db: tx } = services
    const { order, attempt } = await holdTransfer(tx, mode, orderId)
    const [row] = await tx
      .update(transfers)
      .set({ takenBackAt: services.now(), takenBackNote: why })
      .where(and(eq(transfers.id, transferId), eq(transfers.attemptId, attempt.id), isNull(transfers.takenBackAt)))
      .returning()
    if (!row) throw new Problem(409, 'taken-back', 'This was undone already.')
    const about = { orderId, personId: order.personId }
    const { amount } = row
    const isOpenAgain =
      !row.isSurplus && attempt.state === 'collected' && (await receivedFor(tx, attempt.id)) < attempt.amount
    await bookCorrection(services, order, attempt.id, [transferId, ...(isOpenAgain ? [attempt.id] : [])], why)
    const taken = { about, what: 'transfer-taken-back' as const, data: { amount, currency: order.currency, note: why } }
    if (!isOpenAgain) return recordAll(tx, services.now(), [taken])
    if ((await tx.$count(refunds, eq(refunds.attemptId, attempt.id))) > 0) {
      throw new Problem(409, 'refunded', 'Some of this money was refunded since; that cannot be undone.')
    }
    await tx.update(attempts).set({ state: 'awaiting', settledAt: null }).where(eq(attempts.id, attempt.id))
    await tx.update(orders).set({ state: 'paying', paidAt: null, placedOn: null }).where(eq(orders.id, orderId))
    await tx
      .update(payments)
      .set({ state: 'due', attemptId: null, collectedAt: null, fee: 0 })
      .where(eq(payments.attemptId, attempt.id))
    await tx.update(orderLines).set({ duplicateOf: null }).where(eq(orderLines.orderId, orderId))
    await tx.delete(grants).where(eq(grants.orderId, orderId))
    await reserveAgain(tx, orderId)
    await recordAll(tx, services.now(), [taken, { about, what: 'course-shut', data: { note: why } }])
  })
}

/** Notes that money which came for a paid order was given back at the bank. @throws Problem 409 where none is to be. */
export async function giveSurplusBack(
  services: Services,
  mode: Mode,
  orderId: string,
  transferId: string,
  why: string,
): Promise<void> {
  await onceInTransaction(services, async (services) => {
    const { db: tx } = services
    const { order } = await holdTransfer(tx, mode, orderId)
    const open = and(isNull(transfers.takenBackAt), isNull(transfers.givenBackOn), eq(transfers.isSurplus, true))
    const day = await schoolDay(services)
    const [row] = await tx
      .update(transfers)
      .set({ givenBackOn: day })
      .where(and(eq(transfers.id, transferId), eq(transfers.orderId, orderId), open))
      .returning()
    if (!row) throw new Problem(409, 'given-back', 'This was returned already, or is owed.')
    await bookSurplusBack(services, order, row, day)
    const { amount } = row
    const data = { amount, currency: order.currency, note: why }
    await record(tx, services.now(), { orderId, personId: order.personId }, 'transfer-given-back', data)
  })
}
