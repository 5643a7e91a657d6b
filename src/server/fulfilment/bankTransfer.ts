import { and, desc, eq, inArray, isNull, sql } from 'drizzle-orm'
import * as v from 'valibot'
import { creditorReference } from '../../core/bank/reference.ts'
import { isDay } from '../../core/calendar/day.ts'
import { noonOf } from '../../core/calendar/instant.ts'
import { BANK_TRANSFER_ID } from '../../gateways/bankTransfer.ts'
import { reserveAgain } from '../coupons/uses.ts'
import type { Queryable, Transaction } from '../db/client.ts'
import type { Mode } from '../db/schema/columns.ts'
import {
  attempts,
  connections,
  grants,
  OPEN_ATTEMPTS,
  orderLines,
  orders,
  payments,
  refunds,
  transfers,
} from '../db/schema/index.ts'
import { amountSchema } from '../http/numbers.ts'
import { fieldProblem, notFound, Problem } from '../http/problem.ts'
import { record, recordAll } from '../journal/journal.ts'
import { bookCorrection, bookPart, bookSurplus, bookSurplusBack } from '../ledger/book.ts'
import { queueMessage } from '../outbox/queue.ts'
import { inMode, inTransaction, type Services } from '../platform/context.ts'
import { onceInTransaction } from '../platform/keyedRequest.ts'
import { dayFor, findSchool, getSchool, schoolDay } from '../school/service.ts'
import type { Attempt, Order } from './notes.ts'
import { settleAttempt, settleIn } from './settle.ts'

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
function counting(attemptId: string) {
  return and(eq(transfers.attemptId, attemptId), isNull(transfers.takenBackAt), eq(transfers.isSurplus, false))
}

/** What has come for an attempt so far, in minor units. */
export async function receivedFor(db: Queryable, attemptId: string): Promise<number> {
  const [row] = await db
    .select({ amount: sql<number>`coalesce(sum(${transfers.amount}), 0)::float8` })
    .from(transfers)
    .where(counting(attemptId))
  return row?.amount ?? 0
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

const note = v.pipe(v.string(), v.trim(), v.maxLength(300, 'Use at most 300 characters.'))
export const cameSchema = v.object({
  amount: amountSchema(1, 'Write an amount.', 'Write how much was received.'),
  day: v.pipe(v.string(), v.check(isDay, 'This date does not exist.')),
  note,
  /** It came for an order that is paid already, and whoever marks it knows that. */
  isSurplus: v.optional(v.boolean()),
})

/** The order, locked, with its newest attempt by transfer. @throws Problem 404, or 409 where it has none. */
async function holdTransfer(tx: Transaction, mode: Mode, orderId: string): Promise<{ order: Order; attempt: Attempt }> {
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
    .where(counting(attemptId))
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
      const { queued, writes } = queueMessage(within, { ...about, mode, kind: 'not-arrived' })
      await Promise.all(writes)
      await recordAll(tx, within.now(), [{ about, what: 'transfer-ended' }, queued])
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
