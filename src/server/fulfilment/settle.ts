import { and, eq, inArray, sql } from 'drizzle-orm'
import { UPSELL_MINUTES } from '../../core/content/checkoutPage.ts'
import type { Outcome } from '../../gateways/contract.ts'
import { readAgreements } from '../agreements/agreements.ts'
import { nextState } from '../charging/states.ts'
import { releaseCodes } from '../coupons/uses.ts'
import type { Transaction } from '../db/client.ts'
import { anyOf, compiled } from '../db/compiled.ts'
import type { Mode } from '../db/schema/columns.ts'
import { attempts, connections, orders } from '../db/schema/index.ts'
import { type JournalEvent, record, recordAll } from '../journal/journal.ts'
import { queueMessage } from '../outbox/queue.ts'
import { inTransaction, type Services, type Within } from '../platform/context.ts'
import { Together } from '../platform/together.ts'
import { collectedAgain } from './chargedAgain.ts'
import { markPaid, type Paying } from './fulfil.ts'
import { type Known, readKnown } from './known.ts'
import { type Attempt, noteOnce, noteSurplus, type Order, type Source } from './notes.ts'
import { isNext, type Later, laterCollected, laterDeclined, writeCollected } from './outcome.ts'

/**
 * The one state change that follows from a gateway's word about an attempt, whoever brings it and
 * in whatever order; told twice, it happens once. "Paid" and the grants are one transaction. What was collected, as
 * mostly, is settled together with others that come at the same time.
 */
export async function settleAttempt(
  services: Services,
  attemptId: string,
  outcome: Outcome,
  source: Source,
): Promise<void> {
  if (outcome.state === 'collected') {
    const isSettled = await together(services).ask({ services, attemptId, outcome, source })
    if (isSettled) return
  }
  await settleAlone(services, attemptId, outcome, source)
}

/** The same in a transaction of its own, waiting for whoever holds its order. */
export async function settleAlone(
  services: Services,
  attemptId: string,
  outcome: Outcome,
  source: Source,
): Promise<void> {
  await inTransaction(services, async (services) => {
    const { db: tx } = services
    // The order's row is the lock for all that happens to it; the attempt is read once it is held.
    const [[order], [attempt]] = await Promise.all([
      lockOrder(tx, { id: attemptId }),
      attemptsBy(tx, { ids: [attemptId] }),
    ])
    if (!order || !attempt) throw new Error(`There is no attempt ${attemptId}.`)
    await settleIn(services, order, attempt.attempt, outcome, source)
  })
}

const lockOrder = compiled<{ id: string }>()((db, given) =>
  db
    .select()
    .from(orders)
    .where(
      inArray(
        orders.id,
        db
          .select({ id: attempts.orderId })
          .from(attempts)
          .where(eq(attempts.id, given('id'))),
      ),
    )
    .for('no key update'),
)

/** Orders of attempts, those left out that somebody else holds: nobody waits for a slow neighbour, or in a circle. */
const lockFreeOrders = compiled<{ ids: readonly string[] }>()((db, given) =>
  db
    .select()
    .from(orders)
    .where(
      sql`${orders.id} = any (array (select ${attempts.orderId} from ${attempts} where ${attempts.id} = ${anyOf(given('ids'))}))`,
    )
    .for('no key update', { skipLocked: true }),
)

/** Attempts with the payment method of each. */
const attemptsBy = compiled<{ ids: readonly string[] }>()((db, given) =>
  db
    .select({ attempt: attempts, adapter: connections.adapter })
    .from(attempts)
    .innerJoin(connections, eq(connections.id, attempts.connectionId))
    .where(sql`${attempts.id} = ${anyOf(given('ids'))}`),
)

/** A gateway's word about an attempt. */
export interface Reported {
  attemptId: string
  outcome: Outcome
  source: Source
}

/** So many are settled in one transaction. */
const TOGETHER = 25
/** Where much is collected, one waits so long for others. */
const GATHER_MS = 8

type Asked = Reported & { services: Services }

const queues = new WeakMap<Services['db'], Map<Mode | undefined, Together<Asked, boolean>>>()

/** What is settled together: attempts of one mode, by its clock. */
function together({ db, clockOf }: Services): Together<Asked, boolean> {
  const byClock = queues.get(db) ?? new Map<Mode | undefined, Together<Asked, boolean>>()
  queues.set(db, byClock)
  const known = byClock.get(clockOf)
  if (known) return known
  const made = new Together<Asked, boolean>(TOGETHER, GATHER_MS, async (all) => {
    const [first] = all
    // A round that fails is settled one at a time: it is known then which of them it is.
    const left = first ? await settleCollected(first.services, all).catch(() => all) : all
    return all.map((one) => !left.includes(one))
  })
  byClock.set(clockOf, made)
  return made
}

/**
 * Settles what was collected, in one transaction, by statements over many rows.
 * @returns those that are not so plain, or not of this kind: they are settled one at a time.
 */
export async function settleCollected<R extends Reported>(services: Services, all: readonly R[]): Promise<R[]> {
  return inTransaction(services, async (services) => {
    const { db: tx } = services
    const ids = [...new Set(all.map(({ attemptId }) => attemptId))]
    const [found, tries, known] = await Promise.all([
      lockFreeOrders(tx, { ids }),
      attemptsBy(tx, { ids }),
      readKnown(tx, ids, 'try'),
    ])
    const taken = new Set<string>()
    const plain = all.flatMap(({ attemptId, outcome, source }) => {
      const of = tries.find(({ attempt }) => attempt.id === attemptId)
      const order = found.find(({ id }) => id === of?.attempt.orderId)
      if (!of || !order || outcome.state !== 'collected') return []
      const { attempt, adapter } = of
      if (nextState(attempt.state, outcome.state) === null) return []
      if (!isSameMoney(outcome, attempt)) return []
      // Of one agreement, and of one buyer's orders, one at a time: the second follows from the first.
      const one = attempt.agreementId ?? order.personId
      if (taken.has(one)) return []
      taken.add(one)
      return [{ order, attempt, adapter, outcome, source }]
    })
    const first = plainOrders(plain, known, ids.length === 1)
    const later = await plainLater(tx, plain)
    if (later.length > 0) await writeCollected(services, later)
    if (first.length > 0) await writePaid(services, first, known)
    const done = new Map([...first, ...later].map(({ attempt, outcome }) => [attempt.id, outcome]))
    // What is told of it twice, or was told before, has nothing left to settle.
    return all.filter(({ attemptId, outcome }) => {
      const now = done.get(attemptId)
      if (now) return outcome.state !== 'collected' || !isSameMoney(outcome, now)
      const attempt = tries.find((one) => one.attempt.id === attemptId)?.attempt
      return !attempt || nextState(attempt.state, outcome.state) !== null
    })
  })
}

interface Money {
  amount: number
  currency: string
}

/** Whether what was collected is what was asked for. */
function isSameMoney(collected: Money, asked: Money): boolean {
  return collected.amount === asked.amount && collected.currency === asked.currency
}

/** What a gateway collected for an attempt whose order is held. */
interface Held extends Pick<Later, 'order' | 'attempt' | 'outcome' | 'source'> {
  adapter: string
}

/** Later payments that are the next of their agreements. */
async function plainLater(tx: Transaction, all: readonly Held[]): Promise<Later[]> {
  const ids = all.flatMap(({ attempt }) => attempt.agreementId ?? [])
  if (ids.length === 0) return []
  const held = await readAgreements(tx, ids)
  return all.flatMap(({ order, attempt, outcome, source }) => {
    const agreed = held.find(({ row }) => row.id === attempt.agreementId)
    return agreed && isNext({ held: agreed, attempt }) ? [{ order, held: agreed, attempt, outcome, source }] : []
  })
}

/**
 * First payments of orders in which nothing waits for anybody else: no code is counted, no bundle can grow meanwhile. One
 * that is alone in its round may wait: nobody waits for it.
 */
function plainOrders(all: readonly Held[], { lines, held }: Known, isAlone: boolean): Held[] {
  return all.filter(({ order, attempt }) => {
    if (attempt.agreementId !== null || order.state === 'paid' || !held.has(order.personId)) return false
    if (isAlone) return true
    const isBundled = lines.some(({ line, kind }) => line.orderId === order.id && kind === 'bundle')
    return !isBundled && order.quote.codes.length === 0
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
      if (!isSameMoney(outcome, attempt)) {
        // Nothing is settled by other money than was asked for.
        const { amount: asked, currency, key } = attempt
        const { reference, amount, currency: said } = outcome
        const data = { asked, currency, reference, amount, said }
        await noteOnce(services, order, 'attempt-mismatch', key, data)
        return
      }
      if (isLater) return laterCollected(services, order, attempt, outcome, source)
      return attempt.replacesId === null
        ? collected(services, order, attempt, outcome, source)
        : collectedAgain(services, order, attempt, outcome, source)
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
  if (order.state === 'paid') {
    // The gateway took money for an attempt that it had said was closed. Nothing opens twice; a person must see it.
    return noteSurplus(services, order, attempt, outcome)
  }
  const [[of], known] = await Promise.all([attemptsBy(tx, { ids: [attempt.id] }), readKnown(tx, [order.id], 'wait')])
  await writePaid(services, [{ order, attempt, outcome, source, adapter: of?.adapter ?? '' }], known)
}

const putCollected = compiled<{ rows: string; ids: readonly string[]; at: Date }>()((db, given) =>
  db
    .update(attempts)
    .set({
      state: 'collected',
      reference: sql`r.said`,
      fee: sql`r.took`,
      method: sql`r.by`,
      savedMethod: sql`r.saved`,
      expires: sql`r.until`,
      forgetAt: sql`r.forget`,
      reason: null,
      settledAt: sql`${given('at')}::timestamptz`,
      confirmUrl: null,
    })
    .from(
      sql`jsonb_to_recordset(${given('rows')}::jsonb)
        as r (try uuid, said text, took bigint, by text, saved text, until date, forget timestamptz)`,
    )
    // The ids once more, so that they are looked up and not joined.
    .where(and(eq(attempts.id, sql`r.try`), sql`${attempts.id} = ${anyOf(given('ids'))}`)),
)

/** Writes down first payments that were collected, and all that follows, with as many statements for many as for one. */
async function writePaid(services: Within, all: readonly Held[], known: Known): Promise<void> {
  const at = services.now()
  // What was charged by a method that was saved before goes on being charged to that.
  const settled = all.map((one) => ({
    ...one,
    reference: one.outcome.savedMethod ?? one.attempt.savedMethod,
    expires: one.outcome.expires ?? one.attempt.expires,
  }))
  const rows = settled.map(({ attempt: { id, forgetAt }, outcome, reference, expires }) => ({
    try: id,
    said: outcome.reference,
    took: outcome.fee,
    by: outcome.method,
    saved: reference,
    until: expires,
    forget: forgetAt && new Date(at.getTime() + UPSELL_MINUTES * 60_000),
  }))
  const paying = settled.map(({ order, attempt, adapter, outcome, source, reference, expires }): Paying => {
    const about = { orderId: order.id, personId: order.personId }
    const { amount, currency, connectionId } = attempt
    const { method, fee } = outcome
    const data = { amount, currency, reference: outcome.reference, method, source }
    return {
      order,
      by: { id: attempt.id, adapter, fee },
      before: [{ about, what: 'attempt-collected', data }],
      savedMethod: { connectionId, reference, method, expires },
    }
  })
  await Promise.all([
    putCollected(services.db, { rows: JSON.stringify(rows), ids: rows.map((row) => row.try), at }),
    markPaid(services, paying, known),
  ])
}

async function change(tx: Transaction, attempt: Attempt, set: Partial<Attempt>) {
  await tx.update(attempts).set(set).where(eq(attempts.id, attempt.id))
}
