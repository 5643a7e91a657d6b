import { and, asc, eq, inArray, sql } from 'drizzle-orm'
import { UPSELL_MINUTES } from '../../core/content/checkoutPage.ts'
import type { Outcome } from '../../gateways/contract.ts'
import { readAgreements } from '../agreements/agreements.ts'
import { nextState } from '../charging/states.ts'
import { releaseCodes } from '../coupons/uses.ts'
import type { Transaction } from '../db/client.ts'
import { attempts, orders } from '../db/schema/index.ts'
import { type JournalEvent, record, recordAll } from '../journal/journal.ts'
import { queueMessage } from '../outbox/queue.ts'
import { inTransaction, type Services, type Within } from '../platform/context.ts'
import { linesOf, markPaid } from './fulfil.ts'
import { type Attempt, noteOnce, noteSurplus, type Order, type Source } from './notes.ts'
import { isNext, type Later, laterCollected, laterDeclined, writeCollected } from './outcome.ts'

/**
 * The one state change that follows from a gateway's word about an attempt, whoever brings it and
 * in whatever order; told twice, it happens once. "Paid" and the grants are one transaction.
 */
export async function settleAttempt(
  services: Services,
  attemptId: string,
  outcome: Outcome,
  source: Source,
): Promise<void> {
  await inTransaction(services, async (services) => {
    const { db: tx } = services
    // The order's row is the lock for all that happens to it; the attempt is read once it is held.
    const ofAttempt = tx.select({ id: attempts.orderId }).from(attempts).where(eq(attempts.id, attemptId))
    const [order] = await tx.select().from(orders).where(inArray(orders.id, ofAttempt)).for('no key update')
    const [attempt] = await tx.select().from(attempts).where(eq(attempts.id, attemptId))
    if (!order || !attempt) throw new Error(`There is no attempt ${attemptId}.`)
    await settleIn(services, order, attempt, outcome, source)
  })
}

/** A gateway's word about an attempt. */
export interface Reported {
  attemptId: string
  outcome: Outcome
}

/**
 * Settles several later payments that were collected, in one transaction, by statements over many rows.
 * @returns those that are not so plain, or not of this kind: they are settled one at a time.
 */
export async function settleCollected(
  services: Services,
  all: readonly Reported[],
  source: Source,
): Promise<Reported[]> {
  const ids = all.map(({ attemptId }) => attemptId)
  return inTransaction(services, async (services) => {
    const { db: tx } = services
    const those = sql`${attempts.id} = any(${sql.param(ids)}::uuid[])`
    const found = await tx
      .select()
      .from(orders)
      .where(inArray(orders.id, tx.select({ id: attempts.orderId }).from(attempts).where(those)))
      .orderBy(asc(orders.id))
      .for('no key update')
    const tries = await tx.select().from(attempts).where(those)
    const held = await readAgreements(
      tx,
      tries.flatMap(({ agreementId }) => agreementId ?? []),
    )
    const taken = new Set<string>()
    const later = all.flatMap(({ attemptId, outcome }): Later[] => {
      const attempt = tries.find(({ id }) => id === attemptId)
      const order = found.find(({ id }) => id === attempt?.orderId)
      const agreed = held.find(({ row }) => row.id === attempt?.agreementId)
      if (!attempt || !order || !agreed || outcome.state !== 'collected') return []
      const isAsked = outcome.amount === attempt.amount && outcome.currency === attempt.currency
      const isPlain = isAsked && nextState(attempt.state, outcome.state) !== null && isNext({ held: agreed, attempt })
      // Of one agreement one at a time: the second follows from the first.
      if (!isPlain || taken.has(agreed.row.id)) return []
      taken.add(agreed.row.id)
      return [{ order, held: agreed, attempt, outcome, source }]
    })
    if (later.length > 0) await writeCollected(services, later)
    const done = new Set(later.map(({ attempt }) => attempt.id))
    return all.filter(({ attemptId }) => !done.has(attemptId))
  })
}

/** The same in the caller's transaction, which holds the order's lock and has read the attempt since. */
export async function settleIn(services: Within, order: Order, attempt: Attempt, outcome: Outcome, source: Source) {
  const { db: tx } = services
  const next = nextState(attempt.state, outcome.state)
  if (next === null) return
  const isLater = attempt.agreementId !== null
  const at = services.now()
  const about = { orderId: order.id, personId: order.personId }
  switch (outcome.state) {
    case 'collected':
      if (outcome.amount !== attempt.amount || outcome.currency !== attempt.currency) {
        // Nothing is settled by other money than was asked for.
        const { amount: asked, currency, key } = attempt
        const { reference, amount, currency: said } = outcome
        const data = { asked, currency, reference, amount, said }
        await noteOnce(services, order, 'attempt-mismatch', key, data)
        return
      }
      return isLater
        ? laterCollected(services, order, attempt, outcome, source)
        : collected(services, order, attempt, outcome, source)
    case 'confirming':
      await change(tx, attempt, { state: next, reference: outcome.reference, confirmUrl: outcome.url })
      return record(tx, at, about, 'attempt-confirming', { reference: outcome.reference })
    case 'awaited': {
      const { reference, method } = outcome
      await change(tx, attempt, { state: next, reference, method, confirmUrl: null })
      const { queued, writes } = queueMessage(services, { ...about, mode: order.mode, kind: 'awaiting' })
      await Promise.all(writes)
      return recordAll(tx, at, [{ about, what: 'attempt-awaiting', data: { reference, method, source } }, queued])
    }
    case 'declined':
      if (isLater) return laterDeclined(services, order, attempt, outcome, source)
      await change(tx, attempt, {
        state: next,
        reference: outcome.reference,
        reason: outcome.reason,
        method: outcome.method,
        settledAt: at,
        confirmUrl: null,
      })
      await reopen(tx, order)
      return notifyDeclined(services, order, attempt, outcome, source)
    case 'abandoned':
      await change(tx, attempt, { state: next, settledAt: at, confirmUrl: null })
      if (isLater) return record(tx, at, about, 'attempt-abandoned', { source })
      await reopen(tx, order)
      return record(tx, at, about, 'attempt-abandoned', { source })
  }
}

/** The order was not paid by this try: it can be tried again, and others may use its codes meanwhile. */
async function reopen(tx: Transaction, { id, quote }: Order) {
  await tx
    .update(orders)
    .set({ state: 'open' })
    .where(and(eq(orders.id, id), eq(orders.state, 'paying')))
  if (quote.codes.length > 0) await releaseCodes(tx, id)
}

/** Writes a decline down. A buyer who has left, because the money was to come later, is told of it. */
async function notifyDeclined(
  services: Within,
  { id: orderId, personId, mode }: Order,
  attempt: Attempt,
  { reason, reference, method }: Extract<Outcome, { state: 'declined' }>,
  source: Source,
) {
  const { db: tx } = services
  const about = { orderId, personId }
  const declined: JournalEvent = { about, what: 'attempt-declined', data: { reason, reference, method, source } }
  if (attempt.state !== 'awaiting') return recordAll(tx, services.now(), [declined])
  const { queued, writes } = queueMessage(services, { ...about, mode, kind: 'not-arrived' })
  await Promise.all(writes)
  return recordAll(tx, services.now(), [declined, queued])
}

async function collected(
  services: Within,
  order: Order,
  attempt: Attempt,
  outcome: Extract<Outcome, { state: 'collected' }>,
  source: Source,
) {
  const { db: tx } = services
  const at = services.now()
  const { reference, fee, method } = outcome
  // What was charged by a method that was saved before goes on being charged to that.
  const savedMethod = outcome.savedMethod ?? attempt.savedMethod
  const expires = outcome.expires ?? attempt.expires
  if (order.state === 'paid') {
    // The gateway took money for an attempt that it had said was closed. Nothing opens twice; a person must see it.
    return noteSurplus(services, order, attempt, outcome)
  }
  await change(tx, attempt, {
    state: 'collected',
    reference,
    fee,
    method,
    savedMethod,
    expires,
    reason: null,
    settledAt: at,
    confirmUrl: null,
    ...(attempt.forgetAt ? { forgetAt: new Date(at.getTime() + UPSELL_MINUTES * 60_000) } : {}),
  })
  const about = { orderId: order.id, personId: order.personId }
  const data = { amount: attempt.amount, currency: attempt.currency, reference, method, source }
  const collectedNow: JournalEvent = { about, what: 'attempt-collected', data }
  const lines = await linesOf(tx, order.id)
  const by = { id: attempt.id, connectionId: attempt.connectionId, fee }
  await markPaid(services, order, lines, by, [collectedNow], {
    connectionId: attempt.connectionId,
    reference: savedMethod,
    method,
    expires,
  })
}

async function change(tx: Transaction, attempt: Attempt, set: Partial<Attempt>) {
  await tx.update(attempts).set(set).where(eq(attempts.id, attempt.id))
}
