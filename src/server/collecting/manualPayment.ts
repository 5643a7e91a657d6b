import { and, eq, inArray } from 'drizzle-orm'
import type { Day } from '../../core/calendar/day.ts'
import { type Agreement, nextPayment, payableOn, restOf } from '../../core/collecting/agreement.ts'
import type { ScheduledPayment } from '../../core/quote/types.ts'
import { REFUSED } from '../../core/words/en/refused.ts'
import { type DeclineReason, GatewayRefused, GatewayUnreachable, type SavedReference } from '../../gateways/contract.ts'
import { holdAgreement, type LoadedAgreement, readAgreement } from '../agreements/agreements.ts'
import { callGateway } from '../charging/call.ts'
import {
  type Gateway,
  gatewayDown,
  isUp,
  type OpenPaymentMethod,
  openPaymentMethod,
  sourceOf,
} from '../charging/paymentMethods.ts'
import { startAttempt } from '../charging/start.ts'
import { lastAttemptStatus } from '../charging/status.ts'
import { agreements, attempts, connections, OPEN_ATTEMPTS } from '../db/schema/index.ts'
import type { Attempt } from '../fulfilment/notes.ts'
import { settleAttempt } from '../fulfilment/settle.ts'
import { capabilitiesOf, openConnection } from '../gateways/service.ts'
import { fieldProblem, Problem } from '../http/problem.ts'
import { abandonAttempt, leaveAttempt, lookUpAttempt } from '../lookup/lookup.ts'
import type { Services, Within } from '../platform/context.ts'
import { isCommitted, onceInTransaction } from '../platform/keyedRequest.ts'
import { requireCompared } from '../platform/restored.ts'
import { getSchool, schoolDay } from '../school/service.ts'
import { notifyOf } from './actions.ts'
import { endPayLinks } from './payLinks.ts'

/** How a payment by hand stands. */
export type ManualPaymentOutcome =
  | { state: 'paid' }
  | { state: 'declined'; reason: DeclineReason | 'abandoned' }
  | { state: 'confirming'; url: string; isElsewhere: boolean }
  | { state: 'checking' }

export interface ManualPayment {
  /** Null: by the agreement's saved method, once more. */
  connectionId: string | null
  token: string
  /** Where a buyer comes back to who approves it at the gateway's own page; a path of our own. */
  returnTo?: string
  /** What the button said, in minor units: charged for exactly this, or not at all. */
  agreed: number
  /** The payments that it is for, by their numbers, both included. */
  from: number
  to: number
  /** Who asks; the creator may try the saved method once more. The buyer, where nobody is named. */
  by?: 'buyer' | 'creator'
}

/** The payments that are paid by hand on a day: all that are due, or the next one early. */
function payableManually(agreement: Agreement, day: Day) {
  const due = payableOn(agreement, day)
  const next = nextPayment(agreement)
  return due.length > 0 || agreement.state !== 'active' || !next ? due : [next]
}

/** What is asked for by hand: the sum in minor units, and the numbers of its payments. */
export type AgreedPayment = Pick<ManualPayment, 'agreed' | 'from' | 'to'>

/** What a page asks for that pays by hand on a day; null where nothing can be paid. */
export function manualPaymentOn(agreement: Agreement, day: Day): AgreedPayment | null {
  return askedFor(payableManually(agreement, day))
}

/** All that is left of an installment plan, where that is more than what is asked for anyway; else null. */
export function restOn(agreement: Agreement, day: Day): AgreedPayment | null {
  const rest = restOf(agreement)
  return rest.length > payableManually(agreement, day).length ? askedFor(rest) : null
}

function askedFor(payable: readonly ScheduledPayment[]): AgreedPayment | null {
  const agreed = payable.reduce((sum, { pay }) => sum + pay, 0)
  return agreed > 0 ? { agreed, from: payable[0]?.n ?? 0, to: payable.at(-1)?.n ?? 0 } : null
}

/**
 * Pays by hand what is due, the next payment early, or all that is left of a plan: by the saved method, or by another, which is charged
 * from then on. It is no try of the worker's, and while it is under way the worker waits (collecting rules, section 3).
 * What is paid already is answered with that: a second press or a second tab never pays the payment after it.
 */
export async function payManually(
  services: Services,
  agreementId: string,
  request: ManualPayment,
): Promise<ManualPaymentOutcome> {
  const { returnTo = '/my', connectionId, token } = request
  await requireCompared(services.db)
  const { row, ...known } = await readAgreement(services.db, agreementId)
  if (isPaid(known, request)) return { state: 'paid' }
  if (isCommitted(services)) return checkManualPayment(services, agreementId)
  const paymentMethod = connectionId
    ? await openPaymentMethod(services, { connectionId, token }, row.mode)
    : await openSavedMethod(services, row)
  const gateway = requireChargesAgain(paymentMethod)
  if (await isBusy(services, agreementId)) return { state: 'checking' }
  let started: { attempt: Attempt; held: LoadedAgreement } | null = null
  const kind = await onceInTransaction(services, async (services) => {
    const method = { connectionId: paymentMethod.connection.id, isBySavedMethod: !connectionId }
    const begun = await begin(services, agreementId, method, request)
    if (begun.kind === 'begun') started = begun
    return begun.kind
  })
  if (kind === 'paid') return { state: 'paid' }
  if (kind === 'under-way') return { state: 'checking' }
  if (!started) return checkManualPayment(services, agreementId)
  const { attempt, held } = started as { attempt: Attempt; held: LoadedAgreement }
  if (!(await isUp(paymentMethod))) {
    await settleAttempt(services, attempt.id, { state: 'abandoned' }, 'answer')
    throw gatewayDown(paymentMethod)
  }
  const { name } = await getSchool(services.db)
  const outcome = await callGateway(services, {
    open: () => gateway,
    attempt,
    source: connectionId
      ? sourceOf(paymentMethod, token, true, services.config.origin + returnTo)
      : { savedMethod: held.row.savedMethod ?? '' },
    schoolName: name,
    titles: [held.line.title],
  })
  if (!outcome) return { state: 'checking' }
  await settleAttempt(services, attempt.id, outcome, 'answer')
  return manualPaymentStatus(services, agreementId)
}

/** The payment method by which an agreement is charged, also where it is paused: what is agreed is still collected. */
async function openSavedMethod(
  services: Services,
  { connectionId, savedMethod }: LoadedAgreement['row'],
): Promise<OpenPaymentMethod> {
  const [connection] = await services.db.select().from(connections).where(eq(connections.id, connectionId))
  if (!savedMethod || !connection || connection.disconnectedAt) throw savedMethodGone()
  const capabilities = capabilitiesOf(services.gateways, connection.adapter)
  return { connection, capabilities, gateway: await openConnection(services, connectionId) }
}

function savedMethodGone(): Problem {
  return new Problem(409, 'method-gone', REFUSED.methodGone)
}

/** The gateway of a payment method that can collect the later payments too. @throws Problem at the field where it cannot. */
function requireChargesAgain({ capabilities, gateway }: OpenPaymentMethod): Gateway {
  if (gateway && capabilities.chargesAgain) return gateway
  throw fieldProblem('/connectionId', REFUSED.methodNotLater)
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
  asked: Pick<ManualPayment, 'from' | 'to'>,
): Promise<boolean> {
  return isPaid(await readAgreement(db, agreementId), asked)
}

/** Whether the payments that a request is for are all paid. */
function isPaid(
  { scheduled }: Pick<LoadedAgreement, 'scheduled'>,
  { from, to }: Pick<ManualPayment, 'from' | 'to'>,
): boolean {
  const asked = scheduled.filter(({ n }) => n >= from && n <= to)
  return asked.length > 0 && asked.every(({ state }) => state === 'collected')
}

type Begun = { kind: 'paid' } | { kind: 'under-way' } | { kind: 'begun'; attempt: Attempt; held: LoadedAgreement }

/** Stores an attempt at what a request is for, unless it is paid or under way. @throws Problem 409 where more or less is due. */
async function begin(
  services: Within,
  agreementId: string,
  { connectionId, isBySavedMethod }: { connectionId: string; isBySavedMethod: boolean },
  request: ManualPayment,
): Promise<Begun> {
  const { db: tx } = services
  const held = await holdAgreement(tx, agreementId)
  if (isPaid(held, request)) return { kind: 'paid' }
  if (held.isUnderWay) return { kind: 'under-way' }
  // Another method may have been given since it was opened.
  if (isBySavedMethod && (!held.row.savedMethod || held.row.connectionId !== connectionId)) throw savedMethodGone()
  const day = await schoolDay(services)
  const offered = [manualPaymentOn(held.agreement, day), restOn(held.agreement, day)].filter((asked) => asked !== null)
  if (offered.length === 0) throw new Problem(409, 'nothing-due', REFUSED.nothingDue)
  const { from, to, agreed: amount } = request
  if (!offered.some((asked) => asked.from === from && asked.to === to && asked.agreed === amount)) {
    throw new Problem(409, 'price-changed', REFUSED.dueChanged)
  }
  const { order } = held
  const about = { orderId: order.id, personId: order.personId }
  const attempt = await startAttempt(services, {
    about,
    asked: {
      orderId: order.id,
      agreementId,
      fromN: from,
      toN: to,
      connectionId,
      amount,
      currency: order.currency,
      day,
      madeBy: request.by ?? 'buyer',
    },
  })
  return { kind: 'begun', attempt, held }
}

/** Asks the gateway about a payment by hand that is under way, and says how it stands. */
export function checkManualPayment(services: Services, agreementId: string): Promise<ManualPaymentOutcome> {
  return askedOf(services, agreementId, lookUpAttempt)
}

/** Leaves a payment by hand that was to be approved: it is closed for good, here and at the gateway. */
export function leaveManualPayment(services: Services, agreementId: string): Promise<ManualPaymentOutcome> {
  return askedOf(services, agreementId, leaveAttempt)
}

async function askedOf(
  services: Services,
  agreementId: string,
  ask: (services: Services, attempt: Attempt) => Promise<void>,
): Promise<ManualPaymentOutcome> {
  const open = await openAttempt(services, agreementId)
  if (open) {
    try {
      await ask(services, open)
    } catch (error) {
      if (!(error instanceof GatewayUnreachable)) throw error
    }
  }
  return manualPaymentStatus(services, agreementId)
}

async function manualPaymentStatus(services: Services, agreementId: string): Promise<ManualPaymentOutcome> {
  const last = await lastAttemptStatus(services, { agreementId })
  if (last.state === 'awaiting') return { state: 'checking' }
  if (last.state !== 'collected') return last
  await endPayLinks(services, agreementId)
  return { state: 'paid' }
}

/** Charges later payments to another method from now on. Nothing is charged by it. */
export async function changeMethod(
  services: Services,
  agreementId: string,
  payment: { connectionId: string; token: string },
): Promise<void> {
  if (isCommitted(services)) return
  const { row } = await readAgreement(services.db, agreementId)
  if (row.state !== 'active') throw new Problem(409, 'ended', REFUSED.ended)
  const paymentMethod = await openPaymentMethod(services, payment, row.mode)
  const gateway = requireChargesAgain(paymentMethod)
  let savedMethod: SavedReference
  try {
    savedMethod = await gateway.adapter.keep(gateway.credentials, {
      key: services.request?.id ?? crypto.randomUUID(),
      token: payment.token,
    })
  } catch (error) {
    if (error instanceof GatewayRefused) throw new Problem(422, 'card-refused', REFUSED.notSaved)
    if (error instanceof GatewayUnreachable) throw new Problem(502, 'gateway-unreachable', REFUSED.notCheckedUnchanged)
    throw error
  }
  await onceInTransaction(services, async (services) => {
    const { db: tx } = services
    const { order } = await holdAgreement(tx, agreementId)
    await tx
      .update(agreements)
      .set({
        connectionId: paymentMethod.connection.id,
        savedMethod: savedMethod.reference,
        method: savedMethod.method,
        expires: savedMethod.expires,
      })
      .where(eq(agreements.id, agreementId))
    const about = { orderId: order.id, personId: order.personId }
    await notifyOf(services, { order, agreementId, kind: 'method-changed' }, [
      { about, what: 'method-changed', data: { method: savedMethod.method } },
    ])
  })
  await endPayLinks(services, agreementId)
}
