import { addDays, type Day, later } from '../calendar/day.ts'
import { closesOnceIn, opensOn } from '../quote/access.ts'
import type { QuotedLine } from '../quote/types.ts'
import { type Agreement, nextPayment } from './agreement.ts'
import type { Phase } from './phase.ts'

/** What decides when a course is open: an access rule, the terms that are paid, and the days of purchase and payment. */
export type AccessBasis = Pick<Phase, 'access' | 'terms' | 'purchaseDay' | 'placedOn'>

/**
 * When the course closes as things stand: by what was paid so far, or the day it was cancelled now.
 * @param paidBefore number of regular payments that the purchase paid; it counts where there is no agreement.
 */
export function closesAsItStands(
  { access, terms, purchaseDay, placedOn }: AccessBasis,
  agreement: Agreement | null,
  paidBefore: number,
): Day | null {
  const paid = agreement ? regularPaidOf(agreement) : paidBefore
  const graceDays = isWithoutGrace(agreement, paid) ? 0 : access.graceDays
  const byPaid = closesOnceIn({ ...access, graceDays }, terms, purchaseDay, paid, placedOn)
  const closes = access.lasts === 'whilePaying' && byPaid !== null ? openToDue(byPaid, graceDays, agreement) : byPaid
  const cancelled = agreement?.cancelled?.when === 'now' ? agreement.cancelled.on : null
  return cancelled !== null && (closes === null || cancelled < closes) ? cancelled : closes
}

/**
 * Days of grace are for who paid: an agreement that is cancelled before its first regular payment has none (collecting
 * rules, section 4). Trials and set-up fees are no regular payments.
 */
export function isWithoutGrace(agreement: Agreement | null, regularPaid: number): boolean {
  return agreement !== null && agreement.cancelled !== null && regularPaid === 0
}

/** A payment that was moved to a later day does not shut the course before it: it stays open to that day, and its grace. */
function openToDue(byPaid: Day, graceDays: number, agreement: Agreement | null): Day {
  const unpaid = agreement && nextPayment(agreement)
  return unpaid ? later(byPaid, addDays(unpaid.due, graceDays)) : byPaid
}

/** How many regular payments of an agreement are collected. */
export function regularPaidOf({ payments, collected }: Agreement): number {
  return payments.slice(0, collected).filter(({ kind }) => kind === 'regular').length
}

/** Regular payments that the purchase itself paid. */
export function paidAtPurchase({ payments }: QuotedLine, purchaseDay: Day): number {
  return payments.filter(({ kind, due }) => kind === 'regular' && due === purchaseDay).length
}

/** Whether the course is open on a day, judged by all that happened up to its end (collecting rules, section 4). */
export function isOpenOn(day: Day, basis: AccessBasis, agreement: Agreement | null, paidBefore: number): boolean {
  if (opensOn(basis.access, basis.placedOn) > day) return false
  const closes = closesAsItStands(basis, agreement, paidBefore)
  const suspendedFrom = suspendedForDebt(basis, agreement)
  return (closes === null || day < closes) && (suspendedFrom === null || day < suspendedFrom)
}

/**
 * The day from which an unpaid payment shuts the course, past its grace, until it is paid; null where none
 * does. Of a cancelled agreement only what was due before the cancelling counts.
 */
export function suspendedForDebt({ access }: Pick<AccessBasis, 'access'>, agreement: Agreement | null): Day | null {
  const unpaid = agreement && nextPayment(agreement)
  if (access.lasts === 'whilePaying' || !agreement || !unpaid) return null
  if (agreement.cancelled !== null && unpaid.due >= agreement.cancelled.on) return null
  return addDays(unpaid.due, access.graceDays)
}
