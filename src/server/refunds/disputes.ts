import { and, asc, eq, inArray, isNull, sql } from 'drizzle-orm'
import * as v from 'valibot'
import { split } from '../../core/money/arithmetic.ts'
import { type Dispute, GatewayRefused, GatewayUnreachable } from '../../gateways/contract.ts'
import { closeLine } from '../access/close.ts'
import type { Transaction } from '../db/client.ts'
import type { Mode } from '../db/schema/columns.ts'
import { attempts, disputes, orderLines, orders, payments, refunds } from '../db/schema/index.ts'
import { openConnection } from '../gateways/service.ts'
import { notFound, Problem } from '../http/problem.ts'
import { type JournalEvent, recordAll } from '../journal/journal.ts'
import { bookGivenBack } from '../ledger/book.ts'
import { queueMessage } from '../outbox/queue.ts'
import { inMode, inTransaction, type Services, type Within } from '../platform/context.ts'
import { isCommitted, onceInTransaction } from '../platform/keyedRequest.ts'
import { schoolDay } from '../school/service.ts'

type DisputeRow = typeof disputes.$inferSelect

/** A dispute goes on in this order, whatever order its events come in. */
const ORDER: readonly DisputeRow['state'][] = ['open', 'contested', 'won', 'lost']

const note = v.pipe(
  v.string(),
  v.trim(),
  v.nonEmpty('Say why. It is kept in the history.'),
  v.maxLength(300, 'Use at most 300 characters.'),
)
export const answerSchema = v.object({
  accept: v.boolean(),
  /** What becomes of the access, where the money is given up. */
  access: v.picklist(['keep', 'close']),
  note,
})
/** What becomes of the course of a dispute that was lost. */
export const lostSchema = v.object({ access: v.picklist(['keep', 'close']), note })

/**
 * Writes what a gateway says of a dispute; told twice, or out of order, it changes nothing. It closes nothing: what
 * becomes of the course is decided by the creator. Money that is lost stands as given back.
 */
export async function noteDispute(base: Services, mode: Mode, attemptId: string, report: Dispute): Promise<void> {
  const services = await inMode(base, mode)
  await inTransaction(services, (services) => take(services, attemptId, report))
}

/** `isAnswer`: the creator has just given it up, and need not be told. */
async function take(services: Within, attemptId: string, report: Dispute, isAnswer = false): Promise<DisputeRow> {
  const { db: tx } = services
  const ofAttempt = tx.select({ id: attempts.orderId }).from(attempts).where(eq(attempts.id, attemptId))
  const [order] = await tx.select().from(orders).where(inArray(orders.id, ofAttempt)).for('no key update')
  if (!order) throw notFound('order')
  const { reference, amount, reason, state } = report
  const [known] = await tx
    .select()
    .from(disputes)
    .where(and(eq(disputes.attemptId, attemptId), eq(disputes.reference, reference)))
  if (known && ORDER.indexOf(state) <= ORDER.indexOf(known.state)) return known
  const at = services.now()
  const isEnded = state === 'won' || state === 'lost'
  const about = { orderId: order.id, personId: order.personId }
  const events: JournalEvent[] = []
  if (!known) events.push({ about, what: 'dispute-opened', data: { amount, currency: order.currency, reason } })
  if (isEnded) events.push({ about, what: 'dispute-ended', data: { amount, currency: order.currency, state } })
  const decidedAt = isEnded ? at : null
  const [row] = known
    ? await tx.update(disputes).set({ state, decidedAt }).where(eq(disputes.id, known.id)).returning()
    : await tx
        .insert(disputes)
        .values({ orderId: order.id, attemptId, reference, amount, reason, state, createdAt: at, decidedAt })
        .returning()
  if (!row) throw new Error('The dispute was not stored.')
  if (state === 'lost') await bookLoss(services, order, row)
  if (!known || (isEnded && !isAnswer)) {
    const kind = isEnded ? 'creator-dispute-ended' : 'creator-disputed'
    const { queued, rows } = queueMessage(services, { ...about, mode: order.mode, kind })
    await recordAll(tx, at, [...events, queued], rows)
  } else await recordAll(tx, at, events)
  return row
}

/** Money that a dispute took stands among what was given back, once: of each line that it was for, its part. */
async function bookLoss(services: Within, order: typeof orders.$inferSelect, dispute: DisputeRow) {
  const { orderId, attemptId, reference, amount, reason } = dispute
  const { db: tx } = services
  const lines = await linesOf(tx, attemptId)
  const shares = split(
    amount,
    lines.map(({ pay }) => pay),
  )
  const day = await schoolDay(services)
  const lost = await tx
    .insert(refunds)
    .values(
      lines.map(({ lineId }, index) => ({
        orderId,
        lineId,
        attemptId,
        // Two gateways may use one reference.
        key: `dispute ${attemptId} ${reference}`,
        amount: shares[index] as number,
        state: 'refunded' as const,
        reference,
        note: `Dispute lost: ${reason}`,
        access: 'keep' as const,
        day,
        createdAt: services.now(),
        settledAt: services.now(),
      })),
    )
    .onConflictDoNothing()
    .returning()
  await bookGivenBack(services, order, lost, 'dispute')
}

/** The lines that an attempt collected something of, in their order, and how much. */
async function linesOf(tx: Transaction, attemptId: string): Promise<{ lineId: string; pay: number }[]> {
  return tx
    .select({ lineId: payments.lineId, pay: sql<number>`sum(${payments.pay})::float8` })
    .from(payments)
    .innerJoin(orderLines, eq(orderLines.id, payments.lineId))
    .where(eq(payments.attemptId, attemptId))
    .groupBy(payments.lineId, orderLines.position)
    .orderBy(asc(orderLines.position))
}

/** Closes all that a disputed payment paid for. */
async function closeAll(services: Within, attemptId: string, note: string): Promise<JournalEvent[]> {
  const closed: JournalEvent[] = []
  for (const { lineId } of await linesOf(services.db, attemptId)) {
    closed.push(...(await closeLine(services, lineId, note)))
  }
  return closed
}

/**
 * Gives a disputed payment up, keeping or closing what it opened, or stands by it; then the gateway decides.
 * @throws Problem 409 where it is decided already, 502 where the gateway does not answer.
 */
export async function answerDispute(
  services: Services,
  mode: Mode,
  disputeId: string,
  { accept, access, note: why }: v.InferOutput<typeof answerSchema>,
): Promise<void> {
  const [row] = await services.db
    .select({ dispute: disputes, attempt: attempts })
    .from(disputes)
    .innerJoin(attempts, eq(attempts.id, disputes.attemptId))
    .innerJoin(orders, eq(orders.id, disputes.orderId))
    .where(and(eq(disputes.id, disputeId), eq(orders.mode, mode)))
  if (!row) throw notFound('dispute')
  const { dispute, attempt } = row
  if (isCommitted(services)) return
  if (dispute.state !== 'open') throw new Problem(409, 'answered', 'This dispute was answered already.')
  const { adapter, credentials } = await openConnection(services, attempt.connectionId)
  if (!adapter.answerDispute) throw new Problem(409, 'no-disputes', 'This gateway does not accept answers to disputes.')
  let report: Dispute
  try {
    report = await adapter.answerDispute(credentials, { reference: dispute.reference, accept })
  } catch (error) {
    if (error instanceof GatewayUnreachable)
      throw new Problem(502, 'gateway-unreachable', 'The gateway does not answer at the moment. Try again.')
    if (error instanceof GatewayRefused) throw new Problem(409, 'refused', error.message)
    throw error
  }
  await onceInTransaction(services, async (services) => {
    const { db: tx } = services
    await take(services, attempt.id, report, accept)
    const accessDecidedAt = accept ? services.now() : null
    await tx.update(disputes).set({ note: why, accessDecidedAt }).where(eq(disputes.id, disputeId))
    const [order] = await tx.select().from(orders).where(eq(orders.id, dispute.orderId))
    const about = { orderId: dispute.orderId, personId: order?.personId ?? null }
    const closed = accept && access === 'close' ? await closeAll(services, attempt.id, why) : []
    const answered = {
      about,
      what: 'dispute-answered' as const,
      data: { answer: accept ? ('given-up' as const) : ('contested' as const), note: why },
    }
    await recordAll(tx, services.now(), [answered, ...closed])
  })
}

/**
 * Decides what becomes of the course of a dispute that was lost after it was contested, once.
 * @throws Problem 404, or 409 where it is not lost or was decided already.
 */
export async function decideLost(
  services: Services,
  mode: Mode,
  disputeId: string,
  { access, note: why }: v.InferOutput<typeof lostSchema>,
): Promise<void> {
  await onceInTransaction(services, async (services) => {
    const { db: tx, now } = services
    const [row] = await tx
      .select({ dispute: disputes, order: orders })
      .from(disputes)
      .innerJoin(orders, eq(orders.id, disputes.orderId))
      .where(and(eq(disputes.id, disputeId), eq(orders.mode, mode)))
    if (!row) throw notFound('dispute')
    await tx.select({ id: orders.id }).from(orders).where(eq(orders.id, row.order.id)).for('no key update')
    const [decided] = await tx
      .update(disputes)
      .set({ accessDecidedAt: now() })
      .where(and(eq(disputes.id, disputeId), eq(disputes.state, 'lost'), isNull(disputes.accessDecidedAt)))
      .returning()
    if (!decided) throw new Problem(409, 'decided', 'This dispute is not lost, or it was decided already.')
    const closed = access === 'close' ? await closeAll(services, decided.attemptId, why) : []
    const about = { orderId: row.order.id, personId: row.order.personId }
    await recordAll(tx, now(), [{ about, what: 'dispute-decided', data: { access, note: why } }, ...closed])
  })
}
