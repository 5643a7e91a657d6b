import { addDays, type Day, later } from '../calendar/day.ts'
import type { ScheduledPayment } from '../quote/types.ts'
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
  /** How many of `payments` are collected; the next one is in hand. */
  collected: number
  /** The day on which the latest was collected. */
  lastCollected: Day
  /** Tries made for the payment in hand. */
  tries: number
  state: 'active' | 'completed' | 'stopped' | 'cancelled'
  cancelled: { on: Day; when: 'now' | 'period-end' } | null
}

export type Task = { do: 'try' | 'settle'; payment: ScheduledPayment }

/** The payment in hand, the unpaid one that comes first. */
export function inHand({ payments, collected }: Agreement): ScheduledPayment | undefined {
  return payments[collected]
}

/** The days on which the payment in hand is tried: first on its due day or when the one before came. */
export function tryDays(agreement: Agreement, retryAfterDays: readonly number[]): Day[] {
  const payment = inHand(agreement)
  if (!payment) return []
  const first = later(payment.due, agreement.lastCollected)
  return [first, ...retryAfterDays.map((days) => addDays(first, days))]
}

/** What is to be done for this agreement on a day; null where nothing is. */
export function taskOn(agreement: Agreement, retryAfterDays: readonly number[], day: Day): Task | null {
  const payment = inHand(agreement)
  if (agreement.state !== 'active' || !payment) return null
  const next = tryDays(agreement, retryAfterDays)[agreement.tries]
  if (next === undefined || next > day) return null
  return { do: payment.pay === 0 ? 'settle' : 'try', payment }
}

/** The agreement after the payment in hand was collected or settled. */
export function afterCollected(agreement: Agreement, day: Day): Agreement {
  const collected = agreement.collected + 1
  const isDone = !agreement.endless && collected === agreement.payments.length
  return { ...agreement, collected, lastCollected: day, tries: 0, state: isDone ? 'completed' : 'active' }
}

/** The agreement after a try was declined: it stops at the last one. */
export function afterDeclined(agreement: Agreement, retryAfterDays: readonly number[]): Agreement {
  const tries = agreement.tries + 1
  return { ...agreement, tries, state: tries > retryAfterDays.length ? 'stopped' : 'active' }
}

/** The payments that a buyer who pays by hand pays: all that are due and unpaid. A stopped subscription cannot be revived. */
export function payableOn(agreement: Agreement, day: Day): ScheduledPayment[] {
  const isPayable = agreement.state === 'active' || (agreement.state === 'stopped' && agreement.kind === 'installments')
  return isPayable ? agreement.payments.slice(agreement.collected).filter(({ due }) => due <= day) : []
}

/** The agreement after it was cancelled; null where it does not go on, or is no subscription. */
export function afterCancelled(agreement: Agreement, on: Day, when: 'now' | 'period-end'): Agreement | null {
  if (agreement.state !== 'active' || agreement.kind !== 'subscription') return null
  return { ...agreement, state: 'cancelled', cancelled: { on, when } }
}
