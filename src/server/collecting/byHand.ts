import { and, desc, eq, inArray, sql } from 'drizzle-orm'
import type { Day } from '../../core/calendar/day.ts'
import {
  type Agreement,
  afterCancelled,
  afterStopped,
  afterTakenBack,
  inHand,
  payableOn,
  UNTRIED,
} from '../../core/collecting/agreement.ts'
import {
  type DeclineReason,
  GatewayRefused,
  GatewayUnreachable,
  type KeptMethod,
  type Outcome,
} from '../../gateways/contract.ts'
import { nextAttemptKey } from '../checkout/attemptKey.ts'
import { abandonAttempt, CALL_SECONDS, lookUpAttempt } from '../checkout/lookup.ts'
import {
  type Gateway,
  leaveUnknown,
  type OpenWay,
  openWay,
  requireUp,
  sourceOf,
  statementOf,
} from '../checkout/place.ts'
import { type Attempt, settleAttempt } from '../checkout/settle.ts'
import { inTransaction, type Services, type Within } from '../context.ts'
import type { Queryable } from '../db/client.ts'
import { agreements, attempts, connections, OPEN_ATTEMPTS, payments, refunds } from '../db/schema/index.ts'
import type { MessageKind } from '../db/schema/messages.ts'
import { capabilitiesOf, openConnection } from '../gateways/service.ts'
import { fieldProblem, Problem } from '../http/problem.ts'
import { queueMessage } from '../messages/queue.ts'
import { type Happening, record, recordAll } from '../orders/journal.ts'
import { getSchool, schoolDay } from '../school/service.ts'
import { requireCompared } from '../upkeep/restored.ts'
import { type Held, holdAgreement, readAgreement, saveAgreement } from './agreements.ts'
import { endPayLinks } from './payLinks.ts'

/** Who does something to an agreement: its buyer, or the creator for them. */
export type Hand = 'buyer' | 'creator'

/** How a payment by hand stands. */
export type PaidByHand =
  | { state: 'paid' }
  | { state: 'declined'; reason: DeclineReason | 'abandoned' }
  | { state: 'confirming'; url: string; isElsewhere: boolean }
  | { state: 'checking' }

export interface ByHand {
  /** Null: by the method that is kept for the agreement, once more. */
  connectionId: string | null
  token: string
  /** Where a buyer comes back to who approves it at the gateway's own page; a path of our own. */
  returnTo?: string
  /** What the button said, in minor units: charged for exactly this, or not at all. */
  agreed: number
  /** The payments that it is for, by their numbers, both included. */
  from: number
  to: number
  /** Made by the page: the same request again is answered with what became of it, and charges nothing. */
  requestKey: string
}

/** The payments that are paid by hand on a day: all that are due, or the next one early. */
function payableByHand(agreement: Agreement, day: Day) {
  const due = payableOn(agreement, day)
  const next = inHand(agreement)
  return due.length > 0 || agreement.state !== 'active' || !next ? due : [next]
}

/** What a page asks for that pays by hand on a day: the sum, and the numbers of its payments; null where nothing can be paid. */
export function manualPaymentOn(agreement: Agreement, day: Day): Pick<ByHand, 'agreed' | 'from' | 'to'> | null {
  const payable = payableByHand(agreement, day)
  const agreed = payable.reduce((sum, { pay }) => sum + pay, 0)
  return agreed > 0 ? { agreed, from: payable[0]?.n ?? 0, to: payable.at(-1)?.n ?? 0 } : null
}

/**
 * Pays by hand what is due, or the next payment early: by the method that is kept, or by another, which is charged
 * from then on. It is no try of the worker's, and while it is under way the worker waits (collecting rules, section 3).
 * What is paid already is answered with that: a second press or a second tab never pays the payment after it.
 */
export async function payByHand(services: Services, agreementId: string, request: ByHand): Promise<PaidByHand> {
  const { returnTo = '/my', connectionId, token } = request
  await requireCompared(services.db)
  const { row, ...known } = await readAgreement(services.db, agreementId)
  if (isPaid(known, request)) return { state: 'paid' }
  if (await attemptOf(services.db, agreementId, request.requestKey)) return checkByHand(services, agreementId)
  const way = connectionId ? await openWay(services, { connectionId, token }, row.mode) : await openKept(services, row)
  const gateway = requireChargesAgain(way)
  if (await isBusy(services, agreementId)) return { state: 'checking' }
  const begun = await inTransaction(services, (services) =>
    begin(services, agreementId, { connectionId: way.connection.id, isKept: !connectionId }, request),
  )
  if (begun.kind === 'paid') return { state: 'paid' }
  if (begun.kind === 'under-way') return { state: 'checking' }
  const { attempt, held } = begun
  await requireUp(services, way, attempt)
  const school = await getSchool(services.db)
  let outcome: Outcome
  try {
    outcome = await gateway.adapter.begin(gateway.credentials, {
      key: attempt.key,
      amount: attempt.amount,
      currency: attempt.currency,
      source: connectionId
        ? sourceOf(way, token, true, services.config.origin + returnTo)
        : { kept: held.row.kept ?? '' },
      reference: `${school.name}: ${held.line.courseTitle}`.slice(0, 120),
      statement: statementOf(school.name),
    })
  } catch (error) {
    if (error instanceof GatewayUnreachable) {
      await leaveUnknown(services, attempt, error)
      return { state: 'checking' }
    }
    if (!(error instanceof GatewayRefused)) throw error
    const reason = error.code === 'bad-token' ? ('bad-token' as const) : ('refused' as const)
    outcome = { state: 'declined', reference: '', reason, method: null }
  }
  await settleAttempt(services, attempt.id, outcome, 'answer')
  return standingByHand(services, agreementId)
}

/** The way by which an agreement is charged, also where it is paused: what is agreed is still collected. */
async function openKept(services: Services, { connectionId, kept }: Held['row']): Promise<OpenWay> {
  const [connection] = await services.db.select().from(connections).where(eq(connections.id, connectionId))
  if (!kept || !connection || connection.disconnectedAt) throw keptGone()
  const capabilities = capabilitiesOf(services.gateways, connection.adapter)
  return { connection, capabilities, gateway: await openConnection(services, connectionId) }
}

function keptGone(): Problem {
  return new Problem(409, 'method-gone', 'What you paid with is not kept any more. Reload the page.')
}

/** The gateway of a way that can collect the later payments too. @throws Problem at the field where it cannot. */
function requireChargesAgain({ capabilities, gateway }: OpenWay): Gateway {
  if (gateway && capabilities.chargesAgain) return gateway
  throw fieldProblem('/connectionId', 'This way of paying cannot collect the later payments.')
}

/** Settles what is under way as far as it can be; true where it still is. */
async function isBusy(services: Services, agreementId: string): Promise<boolean> {
  const open = await openAttempt(services, agreementId)
  if (!open) return false
  try {
    if (open.state === 'confirming') await abandonAttempt(services, open)
    else await lookUpAttempt(services, open)
  } catch (error) {
    if (!(error instanceof GatewayUnreachable)) throw error
  }
  return (await openAttempt(services, agreementId)) !== null
}

async function openAttempt({ db }: Services, agreementId: string): Promise<Attempt | null> {
  const [open] = await db
    .select()
    .from(attempts)
    .where(and(eq(attempts.agreementId, agreementId), inArray(attempts.state, [...OPEN_ATTEMPTS])))
  return open ?? null
}

/** Whether what a request would pay is paid by now. */
export async function isPaidByNow(
  { db }: Services,
  agreementId: string,
  asked: Pick<ByHand, 'from' | 'to'>,
): Promise<boolean> {
  return isPaid(await readAgreement(db, agreementId), asked)
}

/** Whether the payments that a request is for are all paid. */
function isPaid({ scheduled }: Pick<Held, 'scheduled'>, { from, to }: Pick<ByHand, 'from' | 'to'>): boolean {
  const asked = scheduled.filter(({ n }) => n >= from && n <= to)
  return asked.length > 0 && asked.every(({ state }) => state === 'collected')
}

async function attemptOf(db: Queryable, agreementId: string, requestKey: string): Promise<Attempt | null> {
  const [attempt] = await db
    .select()
    .from(attempts)
    .where(and(eq(attempts.agreementId, agreementId), eq(attempts.requestKey, requestKey)))
  return attempt ?? null
}

type Begun = { kind: 'paid' } | { kind: 'under-way' } | { kind: 'begun'; attempt: Attempt; held: Held }

/** Stores an attempt at what a request is for, unless it is paid or under way. @throws Problem 409 where more or less is due. */
async function begin(
  services: Within,
  agreementId: string,
  { connectionId, isKept }: { connectionId: string; isKept: boolean },
  request: ByHand,
): Promise<Begun> {
  const { db: tx } = services
  const held = await holdAgreement(tx, agreementId)
  if (isPaid(held, request)) return { kind: 'paid' }
  if (held.isUnderWay || (await attemptOf(tx, agreementId, request.requestKey))) return { kind: 'under-way' }
  // Another method may have been given since its way was opened.
  if (isKept && (!held.row.kept || held.row.connectionId !== connectionId)) throw keptGone()
  const day = await schoolDay(services)
  const payable = payableByHand(held.agreement, day)
  const [first] = payable
  const last = payable.at(-1)
  if (!first || !last) throw new Problem(409, 'nothing-due', 'Nothing is due. Nothing was charged.')
  const amount = payable.reduce((sum, { pay }) => sum + pay, 0)
  if (first.n !== request.from || last.n !== request.to || amount !== request.agreed) {
    throw new Problem(409, 'price-changed', 'What is due changed while this page was open. Nothing was charged.')
  }
  const { order } = held
  const [attempt] = await tx
    .insert(attempts)
    .values({
      orderId: order.id,
      agreementId,
      fromN: first.n,
      toN: last.n,
      key: await nextAttemptKey(tx, { orderId: order.id, agreementId, fromN: first.n }),
      requestKey: request.requestKey,
      connectionId,
      amount,
      currency: order.currency,
      state: 'started',
      startedAt: services.now(),
      day,
      madeBy: 'buyer',
    })
    .returning()
  if (!attempt) throw new Error('The attempt was not stored.')
  await services.jobs.send(tx, 'attempt-lookup', { attemptId: attempt.id }, { afterSeconds: CALL_SECONDS + 5 })
  const about = { orderId: order.id, personId: order.personId }
  await record(tx, services.now(), about, 'attempt-started', {
    n: first.n,
    amount,
    currency: order.currency,
    key: attempt.key,
  })
  return { kind: 'begun', attempt, held }
}

/** Asks the gateway about a payment by hand that is under way, and says how it stands. */
export async function checkByHand(services: Services, agreementId: string): Promise<PaidByHand> {
  const open = await openAttempt(services, agreementId)
  if (open) {
    try {
      await lookUpAttempt(services, open)
    } catch (error) {
      if (!(error instanceof GatewayUnreachable)) throw error
    }
  }
  return standingByHand(services, agreementId)
}

async function standingByHand(services: Services, agreementId: string): Promise<PaidByHand> {
  const [last] = await services.db
    .select({
      state: attempts.state,
      confirmUrl: attempts.confirmUrl,
      reason: attempts.reason,
      adapter: connections.adapter,
    })
    .from(attempts)
    .innerJoin(connections, eq(connections.id, attempts.connectionId))
    .where(eq(attempts.agreementId, agreementId))
    .orderBy(desc(attempts.startedAt), desc(sql`${attempts.settledAt} is null`))
    .limit(1)
  if (!last) return { state: 'declined', reason: 'abandoned' }
  if (last.state === 'confirming') {
    const isElsewhere = capabilitiesOf(services.gateways, last.adapter).style === 'redirect'
    return { state: 'confirming', url: last.confirmUrl ?? '', isElsewhere }
  }
  if (OPEN_ATTEMPTS.includes(last.state)) return { state: 'checking' }
  if (last.state !== 'collected') {
    return {
      state: 'declined',
      reason: last.state === 'declined' ? ((last.reason ?? 'refused') as DeclineReason) : 'abandoned',
    }
  }
  await endPayLinks(services, agreementId)
  return { state: 'paid' }
}

/** Charges later payments to another method from now on. Nothing is charged by it. */
export async function changeMethod(
  services: Services,
  agreementId: string,
  payment: { connectionId: string; token: string },
): Promise<void> {
  const { row } = await readAgreement(services.db, agreementId)
  if (row.state !== 'active') throw new Problem(409, 'ended', 'This agreement has ended; nothing is charged any more.')
  const way = await openWay(services, payment, row.mode)
  const gateway = requireChargesAgain(way)
  let kept: KeptMethod
  try {
    kept = await gateway.adapter.keep(gateway.credentials, { key: crypto.randomUUID(), token: payment.token })
  } catch (error) {
    if (error instanceof GatewayRefused)
      throw new Problem(422, 'card-refused', 'This card could not be kept. Nothing was changed; use another card.')
    if (error instanceof GatewayUnreachable)
      throw new Problem(
        502,
        'gateway-unreachable',
        'The card could not be checked at the moment. Nothing was changed; try again.',
      )
    throw error
  }
  await inTransaction(services, async (services) => {
    const { db: tx } = services
    const { order } = await holdAgreement(tx, agreementId)
    await tx
      .update(agreements)
      .set({ connectionId: way.connection.id, kept: kept.reference, method: kept.method, expires: kept.expires })
      .where(eq(agreements.id, agreementId))
    const about = { orderId: order.id, personId: order.personId }
    await tell(services, { order, agreementId, kind: 'method-changed' }, [
      { about, what: 'method-changed', data: { method: kept.method } },
    ])
  })
  await endPayLinks(services, agreementId)
}

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
  await inTransaction(services, async (services) => {
    const { db: tx } = services
    const held = await holdAgreement(tx, agreementId)
    const next = afterCancelled(held.agreement, await schoolDay(services), when)
    if (!next) throw new Problem(409, 'not-cancellable', 'There is nothing to cancel: this agreement does not go on.')
    await end(services, held, next, 'cancelled', { what: 'agreement-cancelled', data: { when, by } })
  })
}

/**
 * Takes a cancelling back: the subscription goes on as if it had not been.
 * @throws Problem 409 where its next payment was due meanwhile, or money was given back.
 */
export async function takeCancelBack(services: Services, agreementId: string): Promise<void> {
  await inTransaction(services, async (services) => {
    const { db: tx } = services
    const held = await holdAgreement(tx, agreementId)
    const { order, line } = held
    const next = afterTakenBack(held.agreement, await schoolDay(services))
    if (!next) {
      throw new Problem(409, 'too-late', 'A payment was due since it was cancelled. It is bought again instead.')
    }
    if ((await tx.$count(refunds, eq(refunds.lineId, line.id))) > 0) {
      throw new Problem(409, 'refunded', 'Money was given back for it since. It is bought again instead.')
    }
    await tx
      .update(payments)
      .set({ state: 'due' })
      .where(and(eq(payments.lineId, line.id), eq(payments.state, 'let-go')))
    await saveAgreement(tx, held, next)
    await record(tx, services.now(), { orderId: order.id, personId: order.personId }, 'cancel-taken-back')
  })
}

/** Stops chasing: nothing more is tried. What an installment plan owes is still owed, and can be paid by hand. */
export async function stopChasing(services: Services, agreementId: string, note: string): Promise<void> {
  await inTransaction(services, async (services) => {
    const { db: tx } = services
    const held = await holdAgreement(tx, agreementId)
    const next = afterStopped(held.agreement)
    if (!next) throw new Problem(409, 'ended', 'This agreement does not go on; nothing is tried any more.')
    await end(services, held, next, null, { what: 'agreement-stopped', data: { note } })
  })
}

/** Takes a stop back: the payment in hand gets a full series of tries again. */
export async function chaseAgain(services: Services, agreementId: string): Promise<void> {
  await inTransaction(services, async (services) => {
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
      .where(and(eq(payments.lineId, line.id), eq(payments.state, 'let-go')))
    await saveAgreement(tx, held, next)
    await record(tx, services.now(), { orderId: order.id, personId: order.personId }, 'agreement-goes-on')
  })
}

/**
 * Moves the payment in hand to another day, with the reason. Later ones keep theirs.
 * @throws Problem at `/day` where the day is past, or not before the payment after it.
 */
export async function moveDue(services: Services, agreementId: string, day: Day, reason: string): Promise<void> {
  await inTransaction(services, async (services) => {
    const { db: tx } = services
    const held = await holdAgreement(tx, agreementId)
    const { agreement, order, scheduled } = held
    const payment = scheduled[agreement.collected]
    const following = scheduled[agreement.collected + 1]
    if (agreement.state !== 'active' || !payment) throw new Problem(409, 'ended', 'Nothing is to come any more.')
    if (day < (await schoolDay(services))) throw fieldProblem('/day', 'This day is past.')
    if (following && day >= following.due) throw fieldProblem('/day', 'It must stay before the payment after it.')
    await tx.update(payments).set({ due: day }).where(eq(payments.id, payment.id))
    const moved = agreement.payments.map((other, index) =>
      index === agreement.collected ? { ...other, due: day } : other,
    )
    await saveAgreement(tx, held, { ...agreement, payments: moved, ...UNTRIED })
    await record(tx, services.now(), { orderId: order.id, personId: order.personId }, 'due-moved', {
      n: payment.n,
      from: payment.due,
      to: day,
      reason,
    })
  })
}

async function end(
  services: Within,
  held: Held,
  next: Agreement,
  kind: 'cancelled' | null,
  what: Pick<Happening, 'what'> & { data: Record<string, string> },
) {
  const { db: tx } = services
  const { order, row } = held
  const about = { orderId: order.id, personId: order.personId }
  await saveAgreement(tx, held, next)
  if (kind) await tell(services, { order, agreementId: row.id, kind }, [{ about, ...what }])
  if (kind && what.data.by === 'buyer') await tell(services, { order, agreementId: row.id, kind: 'told-cancelled' }, [])
  if (!kind) await recordAll(tx, services.now(), [{ about, ...what }])
}

/** Queues a message about an agreement and writes what happened. */
async function tell(
  services: Within,
  { order, agreementId, kind }: { order: Held['order']; agreementId: string; kind: MessageKind },
  happened: Happening[],
) {
  const { db: tx } = services
  const { mode, personId } = order
  const { queued, writes } = queueMessage(services, { mode, kind, personId, orderId: order.id, agreementId })
  await Promise.all(writes)
  await recordAll(tx, services.now(), [...happened, queued])
}
