import { addDays, type Day, later } from '../calendar/day.ts'
import type { QuotedLine, ScheduledPayment } from '../quote/types.ts'
import type { TermsKind } from '../terms/terms.ts'

/**
 * One agreement as it stands, and the two questions that whoever collects asks: what is to be done
 * today, and what follows from an outcome (collecting rules, sections 2 and 3). Values are never changed.
 */
export interface Agreement {
  kind: TermsKind
  /** The numbered payments in due order, as far as they are needed. */
  payments: readonly ScheduledPayment[]
  /** More payments follow those listed: a subscription until cancelled. */
  endless: boolean
  /** How many of `payments` are collected; the next one follows. */
  collected: number
  /** The day on which the latest was collected. */
  lastCollected: Day
  /** Tries made for the next payment, and the days of the first and the latest of them. */
  tries: number
  firstTried: Day | null
  lastTried: Day | null
  state: 'active' | 'completed' | 'stopped' | 'cancelled'
  cancelled: { on: Day; when: 'now' | 'period-end' } | null
}

/** Nobody has tried the next payment. */
export const UNTRIED = { tries: 0, firstTried: null, lastTried: null } as const

/**
 * The agreement that a line makes when its order is placed, with what is due on that day collected; null
 * where no numbered payment comes later (collecting rules, section 1).
 */
export function beginAgreement(line: QuotedLine, kind: TermsKind, purchaseDay: Day): Agreement | null {
  const payments = line.payments.filter(({ n }) => n > 0)
  const collected = payments.filter(({ due }) => due === purchaseDay).length
  if (collected === payments.length && !line.untilCancelled) return null
  return {
    kind,
    payments,
    endless: line.untilCancelled,
    collected,
    lastCollected: purchaseDay,
    ...UNTRIED,
    state: 'active',
    cancelled: null,
  }
}

export type Task = { do: 'try' | 'settle'; payment: ScheduledPayment }

/** The next payment, the unpaid one that comes first. */
export function nextPayment({ payments, collected }: Agreement): ScheduledPayment | undefined {
  return payments[collected]
}

/**
 * The days on which the next payment is tried: first on its due day or when the one before came, then so
 * many days after its first try, which may have been later where nobody worked.
 */
export function tryDays(agreement: Agreement, retryAfterDays: readonly number[]): Day[] {
  const payment = nextPayment(agreement)
  if (!payment) return []
  const first = agreement.firstTried ?? later(payment.due, agreement.lastCollected)
  return [first, ...retryAfterDays.map((days) => addDays(first, days))]
}

/**
 * The day of the next try or settling of the next payment; null where none comes. It is tried once a day at most,
 * also where several of its days passed with nobody working.
 */
export function nextTryOf(agreement: Agreement, retryAfterDays: readonly number[]): Day | null {
  if (agreement.state !== 'active') return null
  const day = tryDays(agreement, retryAfterDays)[agreement.tries] ?? null
  return day !== null && agreement.lastTried !== null ? later(day, addDays(agreement.lastTried, 1)) : day
}

/** What is to be done for this agreement on a day; null where nothing is. */
export function taskOn(agreement: Agreement, retryAfterDays: readonly number[], day: Day): Task | null {
  const payment = nextPayment(agreement)
  const next = nextTryOf(agreement, retryAfterDays)
  if (!payment || next === null || next > day) return null
  return { do: payment.pay === 0 ? 'settle' : 'try', payment }
}

/** The agreement after the next payment was collected or settled. */
export function afterCollected(agreement: Agreement, day: Day): Agreement {
  const collected = agreement.collected + 1
  const isDone = !agreement.endless && collected === agreement.payments.length
  // Money that was on its way when it was cancelled changes nothing about that.
  const state = agreement.state === 'cancelled' ? 'cancelled' : isDone ? 'completed' : 'active'
  return { ...agreement, collected, lastCollected: day, ...UNTRIED, state }
}

/** The agreement after a try on a day was declined: it stops at the last one. */
export function afterDeclined(agreement: Agreement, retryAfterDays: readonly number[], day: Day): Agreement {
  const tries = agreement.tries + 1
  const firstTried = agreement.firstTried ?? day
  return {
    ...agreement,
    tries,
    firstTried,
    lastTried: day,
    state: tries > retryAfterDays.length ? 'stopped' : 'active',
  }
}

/** The agreement after the creator stopped retrying it; null where it does not go on. */
export function afterStopped(agreement: Agreement): Agreement | null {
  return agreement.state === 'active' ? { ...agreement, state: 'stopped' } : null
}

/** Whether what is unpaid is still expected: not of what was cancelled, nor of a stopped subscription. */
export function owes({ state, kind }: Agreement): boolean {
  return state === 'active' || (state === 'stopped' && kind === 'installments')
}

/**
 * Whether payment `n` was never tried and never will be, since the subscription ended before it, or the plan was refunded:
 * such a payment is no debt. One that was declined is, and so is all that a stopped or written-off plan owed.
 */
export function isNeverAsked(
  { kind, state, collected, tries, cancelled }: Pick<Agreement, 'kind' | 'state' | 'collected' | 'tries' | 'cancelled'>,
  n: number,
): boolean {
  const isOwed = kind === 'installments' && cancelled?.when !== 'now'
  if (isOwed || state === 'active' || state === 'completed') return false
  return n > collected + (tries > 0 ? 1 : 0)
}

/** The payments that a buyer who pays by hand pays: all that are due and unpaid. A stopped subscription cannot be revived. */
export function payableOn(agreement: Agreement, day: Day): ScheduledPayment[] {
  return owes(agreement) ? agreement.payments.slice(agreement.collected).filter(({ due }) => due <= day) : []
}

/** All that is left of an installment plan, due or not; nothing of anything else. */
export function restOf(agreement: Agreement): ScheduledPayment[] {
  return agreement.kind === 'installments' && owes(agreement) ? agreement.payments.slice(agreement.collected) : []
}

/**
 * The agreement after what a stopped installment plan owes was written off; null for any other. Like a cancelling at
 * the end of a period it opens nothing again.
 */
export function afterWrittenOff(agreement: Agreement, on: Day): Agreement | null {
  if (agreement.state !== 'stopped' || agreement.kind !== 'installments') return null
  return { ...agreement, state: 'cancelled', cancelled: { on, when: 'period-end' } }
}

/** The agreement after it was cancelled; null where it does not go on, or is no subscription. */
export function afterCancelled(agreement: Agreement, on: Day, when: 'now' | 'period-end'): Agreement | null {
  if (agreement.state !== 'active' || agreement.kind !== 'subscription') return null
  return { ...agreement, state: 'cancelled', cancelled: { on, when } }
}

/**
 * The agreement after it was ended for good together with its access, because the money was given back; null where
 * nothing of it goes on or is owed.
 */
export function afterGivenBack(agreement: Agreement, on: Day): Agreement | null {
  if (!owes(agreement) && agreement.state !== 'stopped') return null
  return { ...agreement, state: 'cancelled', cancelled: { on, when: 'now' } }
}

/**
 * The agreement after a cancelling was taken back; null where there is none, or where its next payment was due
 * meanwhile: then it is bought again.
 */
export function afterTakenBack(agreement: Agreement, day: Day): Agreement | null {
  const next = nextPayment(agreement)
  if (agreement.state !== 'cancelled' || agreement.kind !== 'subscription' || !next || next.due < day) return null
  return { ...agreement, state: 'active', cancelled: null, ...UNTRIED }
}
