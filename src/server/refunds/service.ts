import { and, desc, eq, inArray, ne, sql } from 'drizzle-orm'
import * as v from 'valibot'
import { type Charge, refundableAmounts, shareRefund } from '../../core/collecting/refund.ts'
import { formatMoney } from '../../core/money/format.ts'
import { GatewayUnreachable, type RefundOutcome } from '../../gateways/contract.ts'
import { derivedKey } from '../checkout/attemptKey.ts'
import { inMode, inTransaction, type Services, type Tools } from '../context.ts'
import type { Queryable } from '../db/client.ts'
import type { Mode } from '../db/schema/columns.ts'
import { attempts, connections, disputes, orderLines, orders, payments, refunds } from '../db/schema/index.ts'
import { capabilitiesOf, openConnection } from '../gateways/service.ts'
import { amountSchema } from '../http/numbers.ts'
import { fieldProblem, notFound } from '../http/problem.ts'
import { queueMessage } from '../messages/queue.ts'
import { record, recordAll } from '../orders/journal.ts'
import { getSchool, schoolDay } from '../school/service.ts'
import { closeLine } from './close.ts'

/** How soon a gateway that did not answer is asked again. */
const AGAIN_SECONDS = 30

export const refundSchema = v.object({
  lineId: v.pipe(v.string(), v.uuid('There is no such line.')),
  amount: amountSchema(1, 'Write an amount.', 'Write how much is refunded.'),
  access: v.picklist(['keep', 'close'], 'Say what becomes of the course.'),
  note: v.pipe(
    v.string(),
    v.trim(),
    v.nonEmpty('Say why, for whoever asks later.'),
    v.maxLength(300, 'Keep the note under 300 letters.'),
  ),
})

/** What an attempt collected of a line, and how it can be given back. */
export interface RefundableCharge extends Charge {
  lineId: string
  amount: number
  /** When it was collected. */
  at: Date | null
  method: string | null
  gateway: string
  isByHand: boolean
}

/** What was collected for the lines of an order, newest first, and what is left of it to give back. */
export async function chargesOf(
  { gateways }: Pick<Tools, 'gateways'>,
  db: Queryable,
  orderId: string,
): Promise<RefundableCharge[]> {
  const given = db
    .select({
      lineId: refunds.lineId,
      attemptId: refunds.attemptId,
      amount: sql<number>`sum(${refunds.amount})::float8`.as('given_amount'),
    })
    .from(refunds)
    .where(and(eq(refunds.orderId, orderId), ne(refunds.state, 'refused')))
    .groupBy(refunds.lineId, refunds.attemptId)
    .as('given')
  const rows = await db
    .select({
      id: attempts.id,
      whole: attempts.amount,
      at: attempts.settledAt,
      method: attempts.method,
      adapter: connections.adapter,
      lineId: payments.lineId,
      amount: sql<number>`sum(${payments.pay})::float8`,
      given: sql<number>`coalesce(max(${given.amount}), 0)::float8`,
      // What is disputed goes back by the dispute, if it does.
      isDisputed: sql<boolean>`exists (select from ${disputes} d where d.attempt_id = ${attempts.id} and d.state in ('open', 'contested'))`,
    })
    .from(attempts)
    .innerJoin(payments, eq(payments.attemptId, attempts.id))
    .innerJoin(connections, eq(connections.id, attempts.connectionId))
    .leftJoin(given, and(eq(given.attemptId, attempts.id), eq(given.lineId, payments.lineId)))
    .where(and(eq(attempts.orderId, orderId), eq(attempts.state, 'collected')))
    .groupBy(attempts.id, connections.adapter, payments.lineId)
    .orderBy(desc(attempts.settledAt), desc(attempts.startedAt))
  return rows.map(({ id, whole, at, method, adapter, lineId, amount, given: before, isDisputed }) => {
    const { name, refunds: can, style } = capabilitiesOf(gateways, adapter)
    // What gives back whole payments only cannot give back one line of several, nor the rest of a part.
    const cannot = isDisputed || can === 'none' || (can === 'whole' && amount !== whole)
    const left = cannot ? 0 : amount - before
    const gives = can === 'whole' ? ('whole' as const) : ('part' as const)
    return { id, lineId, amount, at, left, gives, method, gateway: name, isByHand: style === 'offline' }
  })
}

/** How a refund stands once it was asked for. */
export interface Refunded {
  refunded: number
  /** Asked for, and not answered yet. */
  waiting: number
  /** Why something was refused. */
  refused: string | null
}

/**
 * Gives money of a line back, the newest payment first, and closes what it opened where that is wished. Stored with
 * keys before a gateway is asked; what is not answered is asked for again by its key, which gives back once.
 * @throws Problem at `/amount` where it cannot be given back so.
 */
export async function refundLine(
  services: Services,
  mode: Mode,
  orderId: string,
  { lineId, amount, access, note }: v.InferOutput<typeof refundSchema>,
): Promise<Refunded> {
  const at = services.now()
  const day = await schoolDay(services)
  const ids = await inTransaction(services, async (services) => {
    const { db: tx } = services
    const [order] = await tx
      .select()
      .from(orders)
      .where(and(eq(orders.id, orderId), eq(orders.mode, mode)))
      .for('no key update')
    const [line] = await tx
      .select()
      .from(orderLines)
      .where(and(eq(orderLines.id, lineId), eq(orderLines.orderId, orderId)))
    if (!order || !line) throw notFound('order line')
    const charges = (await chargesOf(services, tx, orderId)).filter((charge) => charge.lineId === lineId)
    const shares = shareRefund(charges, amount)
    const format = { ...(await getSchool(tx)), currency: order.currency }
    if (!shares)
      throw fieldProblem(
        '/amount',
        sayCannot(charges, (of) => formatMoney(of, format)),
      )
    // Derived, as an attempt's key is: after a backup was put back the same refund is asked for by the same key.
    const before = await tx.$count(refunds, eq(refunds.orderId, orderId))
    const rows = await tx
      .insert(refunds)
      .values(
        shares.map((share, index) => ({
          orderId,
          lineId,
          attemptId: share.chargeId,
          key: derivedKey('refund', share.chargeId, String(before + index), String(share.amount)),
          amount: share.amount,
          state: 'started' as const,
          note,
          access,
          day,
          createdAt: at,
        })),
      )
      .returning({ id: refunds.id })
    const about = { orderId, personId: order.personId }
    await record(tx, at, about, 'refund-started', { amount, currency: order.currency, note, access })
    for (const { id } of rows) {
      await services.jobs.send(tx, 'refund-settle', { refundId: id }, { afterSeconds: AGAIN_SECONDS })
    }
    return rows.map(({ id }) => id)
  })
  for (const id of ids) await settleRefund(services, id)
  return standingOf(services.db, ids)
}

function sayCannot(charges: readonly RefundableCharge[], money: (amount: number) => string): string {
  const left = charges.reduce((sum, charge) => sum + charge.left, 0)
  if (left === 0) return 'Nothing is left to give back.'
  const amounts = refundableAmounts(charges)
  if (!amounts) return `At most ${money(left)} is left to give back.`
  const [gateway] = charges.map((charge) => charge.gateway)
  return `${gateway} gives back whole payments only: ${amounts.map(money).join(', ')}.`
}

async function standingOf(db: Queryable, ids: string[]): Promise<Refunded> {
  const rows = await db.select().from(refunds).where(inArray(refunds.id, ids))
  const sum = (state: (typeof rows)[number]['state']) =>
    rows.filter((row) => row.state === state).reduce((all, { amount }) => all + amount, 0)
  return {
    refunded: sum('refunded'),
    waiting: sum('started'),
    refused: rows.find(({ state }) => state === 'refused')?.why ?? null,
  }
}

/** Asks the gateway for a refund under way, again where it did not answer, and settles by its answer. */
export async function settleRefund(base: Services, refundId: string): Promise<void> {
  const [row] = await base.db
    .select({ refund: refunds, attempt: attempts, mode: orders.mode, adapter: connections.adapter })
    .from(refunds)
    .innerJoin(attempts, eq(attempts.id, refunds.attemptId))
    .innerJoin(connections, eq(connections.id, attempts.connectionId))
    .innerJoin(orders, eq(orders.id, refunds.orderId))
    .where(eq(refunds.id, refundId))
  if (row?.refund.state !== 'started') return
  const services = await inMode(base, row.mode)
  const isByHand = capabilitiesOf(base.gateways, row.adapter).style === 'offline'
  let outcome: RefundOutcome | { state: 'by-hand' } = { state: 'by-hand' }
  if (!isByHand) {
    const { key, amount } = row.refund
    try {
      const { adapter, credentials } = await openConnection(services, row.attempt.connectionId)
      outcome = await adapter.refund(credentials, { key, reference: row.attempt.reference ?? '', amount })
    } catch (error) {
      if (!(error instanceof GatewayUnreachable)) throw error
      await services.jobs.send(services.db, 'refund-settle', { refundId }, { afterSeconds: AGAIN_SECONDS })
      return
    }
  }
  await book(services, refundId, outcome)
}

/** Writes what became of a refund, once; and closes what it was to close. */
async function book(
  services: Services,
  refundId: string,
  outcome: RefundOutcome | { state: 'by-hand' },
): Promise<void> {
  await inTransaction(services, async (services) => {
    const { db: tx } = services
    const ofRefund = tx.select({ id: refunds.orderId }).from(refunds).where(eq(refunds.id, refundId))
    const [order] = await tx.select().from(orders).where(inArray(orders.id, ofRefund)).for('no key update')
    const [refund] = await tx.select().from(refunds).where(eq(refunds.id, refundId))
    if (!order || refund?.state !== 'started') return
    const at = services.now()
    const about = { orderId: order.id, personId: order.personId }
    const { amount, note, access, lineId } = refund
    const data = { amount, currency: order.currency }
    if (outcome.state === 'refused') {
      await tx
        .update(refunds)
        .set({ state: 'refused', why: outcome.why, settledAt: at })
        .where(eq(refunds.id, refundId))
      return record(tx, at, about, 'refund-refused', { ...data, why: outcome.why })
    }
    const reference = outcome.state === 'refunded' ? outcome.reference : null
    await tx.update(refunds).set({ state: 'refunded', reference, settledAt: at }).where(eq(refunds.id, refundId))
    const closed = access === 'close' ? await closeLine(services, lineId, note) : []
    const happened = [{ about, what: 'refunded' as const, data: { ...data, reference } }, ...closed]
    // What was given back in one go is told in one message, once all of it is.
    const together = and(eq(refunds.orderId, order.id), eq(refunds.createdAt, refund.createdAt))
    const isLast = (await tx.$count(refunds, and(together, eq(refunds.state, 'started')))) === 0
    if (!isLast) return recordAll(tx, at, happened)
    const { queued, writes } = queueMessage(services, { ...about, mode: order.mode, kind: 'refunded', refundId })
    await Promise.all(writes)
    await recordAll(tx, at, [...happened, queued])
  })
}
