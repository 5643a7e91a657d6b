import { and, eq, type Placeholder, sql } from 'drizzle-orm'
import { UPSELL_MINUTES } from '../../core/content/checkoutPage.ts'
import { BANK_TRANSFER_ID } from '../../gateways/bankTransfer.ts'
import type { Outcome } from '../../gateways/contract.ts'
import { readAgreements } from '../agreements/agreements.ts'
import { nextState } from '../charging/states.ts'
import { releaseCodes } from '../coupons/uses.ts'
import type { Transaction } from '../db/client.ts'
import { anyOf, compiled } from '../db/compiled.ts'
import { attempts, connections, orders } from '../db/schema/index.ts'
import type { MessageKind } from '../db/schema/messages.ts'
import { type JournalEvent, record, recordAll } from '../journal/journal.ts'
import { queueMessage, queueMessages } from '../outbox/queue.ts'
import { inOneGo } from '../platform/batch.ts'
import { inTransaction, type Services, type Within } from '../platform/context.ts'
import { collectedAgain } from './chargedAgain.ts'
import { markPaid, type Paying } from './fulfil.ts'
import { type Attempt, noteOnce, noteSurplus, type Order, type Source } from './notes.ts'
import { type OrderContext, readOrderContext } from './orderContext.ts'
import { isNext, type Later, laterDeclined, writeCollected } from './outcome.ts'
import { partiesOf } from './parties.ts'

/** A gateway's report about an attempt. */
export interface Reported {
  attemptId: string
  outcome: Outcome
  source: Source
}

/**
 * The one state change that follows from a gateway's report about an attempt, whoever brings it and in whatever order; told
 * twice, it happens once. "Paid" and the grants are one transaction.
 */
export async function settleAttempt(
  services: Services,
  attemptId: string,
  outcome: Outcome,
  source: Source,
): Promise<void> {
  const failed = await settleAttempts(services, [{ attemptId, outcome, source }])
  if (failed.has(attemptId)) throw failed.get(attemptId)
}

/** The same for several, in one transaction as far as they do not wait for anybody. @returns what failed, by attempt. */
export function settleAttempts(services: Services, all: readonly Reported[]): Promise<Map<string, unknown>> {
  return inOneGo(
    'settling',
    all,
    ({ attemptId }) => attemptId,
    (batch) => inTransaction(services, (within) => settleBatch(within, batch)),
  )
}

/** @returns those that somebody else holds, or that follow from another of the batch. */
async function settleBatch(services: Within, all: readonly Reported[]): Promise<Reported[]> {
  const { db: tx } = services
  const others = all.length === 1 ? 'wait' : 'leave'
  const ids = [...new Set(all.map(({ attemptId }) => attemptId))]
  // The order's row is the lock for all that happens to it; the attempt is read once it is held.
  const [orderRows, tries] = await Promise.all([
    others === 'wait' ? lockOrders(tx, { ids }) : lockFreeOrders(tx, { ids }),
    attemptsBy(tx, { ids }),
  ])
  const left = new Set<Reported>()
  const held = all.flatMap((reported) => {
    const attempt = tries.find(({ id }) => id === reported.attemptId)
    if (!attempt) throw new Error(`There is no attempt ${reported.attemptId}.`)
    const order = orderRows.find(({ id }) => id === attempt.orderId)
    if (order) return [{ ...reported, order, attempt, reported }]
    left.add(reported)
    return []
  })
  for (const { reported } of await settleHeld(services, held, others)) left.add(reported)
  return [...left]
}

const ofAttempts = (ids: Placeholder) =>
  sql`${orders.id} = any (array (select ${attempts.orderId} from ${attempts} where ${attempts.id} = ${anyOf(ids)}))`

const lockOrders = compiled<{ ids: readonly string[] }>()((db, given) =>
  db
    .select()
    .from(orders)
    .where(ofAttempts(given('ids')))
    .for('no key update'),
)

/** The same without those that somebody else holds: nobody waits for a slow neighbour, and there is no deadlock. */
const lockFreeOrders = compiled<{ ids: readonly string[] }>()((db, given) =>
  db
    .select()
    .from(orders)
    .where(ofAttempts(given('ids')))
    .for('no key update', { skipLocked: true }),
)

const attemptsBy = compiled<{ ids: readonly string[] }>()((db, given) =>
  db
    .select()
    .from(attempts)
    .where(sql`${attempts.id} = ${anyOf(given('ids'))}`),
)

interface Money {
  amount: number
  currency: string
}

/** Whether what was collected is what was asked for. */
function isSameMoney(collected: Money, asked: Money): boolean {
  return collected.amount === asked.amount && collected.currency === asked.currency
}

/** A gateway's report about an attempt whose order is held. */
interface Report {
  order: Order
  attempt: Attempt
  outcome: Outcome
  source: Source
}
type Collected = Report & { outcome: Extract<Outcome, { state: 'collected' }> }

/** The same in the caller's transaction, which holds the order's lock and has read the attempt since. */
export async function settleIn(
  services: Within,
  order: Order,
  attempt: Attempt,
  outcome: Outcome,
  source: Source,
): Promise<void> {
  await settleHeld(services, [{ order, attempt, outcome, source }], 'wait')
}

/**
 * Settles what was reported of attempts whose orders are held.
 * @param others wait: for whoever settles an order of the same buyer, counts the same code or changes the same bundle ·
 * leave: waits for nobody, since several orders are held.
 * @returns those that are left: they would have to wait, or follow from another of them.
 */
async function settleHeld<T extends Report>(
  services: Within,
  all: readonly T[],
  others: 'wait' | 'leave',
): Promise<T[]> {
  const { db: tx } = services
  const left: T[] = []
  const taken = new Set<string>()
  const news = all.filter((report) => {
    if (nextState(report.attempt.state, report.outcome.state) === null) return false
    // A batch settles one report of an agreement, or of a buyer: the next depends on what the first changed.
    const one = report.attempt.agreementId ?? report.order.personId
    if (taken.has(one)) {
      left.push(report)
      return false
    }
    taken.add(one)
    return true
  })
  const paying = news.filter((report): report is T & Collected => isCollected(report) && isFirst(report))
  const agreed = news.flatMap(({ attempt }) => attempt.agreementId ?? [])
  const [known, held] = await Promise.all([
    paying.length > 0
      ? readOrderContext(
          tx,
          paying.map(({ order }) => order.id),
          others === 'wait' ? 'wait' : 'try',
        )
      : null,
    agreed.length > 0 ? readAgreements(tx, agreed) : [],
  ])
  const first: Collected[] = []
  const later: Later[] = []
  for (const report of news) {
    const { order, attempt, outcome, source } = report
    const agreement = held.find(({ row }) => row.id === attempt.agreementId)
    if (outcome.state !== 'collected') {
      if (outcome.state === 'declined' && agreement) {
        await laterDeclined(services, { order, held: agreement, attempt, outcome, source })
      } else await leaveUnpaid(services, order, attempt, outcome, source)
    } else if (!isSameMoney(outcome, attempt)) {
      // Nothing is settled by other money than was asked for.
      const { amount: asked, currency, key } = attempt
      const { reference, amount, currency: said } = outcome
      const data = { key, asked, currency, reference, amount, said }
      await noteOnce(services, order, { what: 'attempt-mismatch', data })
    } else if (agreement) {
      const one = { order, held: agreement, attempt, outcome, source }
      // The gateway took money for payments that were paid already. Nothing counts twice; a person must see it.
      if (isNext(one)) later.push(one)
      else await noteSurplus(services, order, attempt, outcome)
    } else if (attempt.replacesId !== null) await collectedAgain(services, order, attempt, outcome, source)
    else if (order.state === 'paid') {
      // The gateway took money for an attempt that it had said was closed. Nothing opens twice; a person must see it.
      await noteSurplus(services, order, attempt, outcome)
    } else if (others === 'wait' || (known && waitsForNobody(order, known))) {
      first.push({ order, attempt, outcome, source })
    } else left.push(report)
  }
  if (later.length > 0) await writeCollected(services, later)
  if (first.length > 0 && known) await writePaid(services, first, known)
  return left
}

function isCollected(report: Report): report is Collected {
  return report.outcome.state === 'collected' && isSameMoney(report.outcome, report.attempt)
}

/** Whether an attempt is for what an unpaid order asks on its day. */
function isFirst({ order, attempt }: Report): boolean {
  return attempt.agreementId === null && attempt.replacesId === null && order.state !== 'paid'
}

/** Whether an order can be paid beside others: its buyer is held, no code is counted, no bundle can grow meanwhile. */
function waitsForNobody({ id, personId, quote }: Order, { lines, held }: OrderContext): boolean {
  const isBundled = lines.some(({ line, kind }) => line.orderId === id && kind === 'bundle')
  return held.has(personId) && !isBundled && quote.codes.length === 0
}

/** What follows where no money came, yet or at all. */
async function leaveUnpaid(
  services: Within,
  order: Order,
  attempt: Attempt,
  outcome: Exclude<Outcome, { state: 'collected' }>,
  source: Source,
): Promise<void> {
  const { db: tx } = services
  const at = services.now()
  const about = { orderId: order.id, personId: order.personId }
  switch (outcome.state) {
    case 'absent':
      // It changes nothing, whatever the attempt's state.
      return
    case 'confirming':
      await change(tx, attempt, { state: 'confirming', reference: outcome.reference, confirmUrl: outcome.url })
      return record(tx, at, about, 'attempt-confirming', { reference: outcome.reference })
    case 'awaited': {
      const { reference, method } = outcome
      await change(tx, attempt, { state: 'awaiting', reference, method, confirmUrl: null })
      const [connection] = await adaptersBy(tx, { ids: [attempt.connectionId] })
      // Only a transfer to the school's own account is looked for by hand.
      const isTransfer = connection?.adapter === BANK_TRANSFER_ID
      const kinds: MessageKind[] = ['awaiting', ...(isTransfer ? ['creator-awaiting' as const] : [])]
      const { queued, rows } = queueMessages(
        services,
        kinds.map((kind) => ({ ...about, mode: order.mode, kind })),
      )
      const awaiting: JournalEvent = { about, what: 'attempt-awaiting', data: { reference, method, source } }
      return recordAll(tx, at, [awaiting, ...queued], rows)
    }
    case 'declined':
      await change(tx, attempt, {
        state: 'declined',
        reference: outcome.reference,
        reason: outcome.reason,
        method: outcome.method,
        settledAt: at,
        confirmUrl: null,
      })
      await reopen(tx, order)
      return notifyDeclined(services, order, attempt, outcome, source)
    case 'abandoned':
      await change(tx, attempt, { state: 'abandoned', settledAt: at, confirmUrl: null })
      if (attempt.agreementId === null) await reopen(tx, order)
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
  const { queued, rows } = queueMessage(services, { ...about, mode, kind: 'not-arrived' })
  return recordAll(tx, services.now(), [declined, queued], rows)
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
      parties: partiesOf(sql`${attempts.orderId}`),
    })
    .from(
      sql`jsonb_to_recordset(${given('rows')}::jsonb)
        as r (try uuid, said text, took bigint, by text, saved text, until date, forget timestamptz)`,
    )
    // The ids once more, so that they are looked up and not joined.
    .where(and(eq(attempts.id, sql`r.try`), sql`${attempts.id} = ${anyOf(given('ids'))}`)),
)

const adaptersBy = compiled<{ ids: readonly string[] }>()((db, given) =>
  db
    .select({ id: connections.id, adapter: connections.adapter })
    .from(connections)
    .where(sql`${connections.id} = ${anyOf(given('ids'))}`),
)

/** Writes down first payments that were collected, and all that follows, with as many statements for many as for one. */
async function writePaid(services: Within, all: readonly Collected[], known: OrderContext): Promise<void> {
  const at = services.now()
  const adapters = await adaptersBy(services.db, { ids: all.map(({ attempt }) => attempt.connectionId) })
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
  const paying = settled.map(({ order, attempt, outcome, source, reference, expires }): Paying => {
    const about = { orderId: order.id, personId: order.personId }
    const { amount, currency, connectionId } = attempt
    const { method, fee } = outcome
    const data = { amount, currency, reference: outcome.reference, method, source }
    return {
      order,
      by: { id: attempt.id, adapter: adapters.find(({ id }) => id === connectionId)?.adapter ?? '', fee },
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
