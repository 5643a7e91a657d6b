import { addDays, type Day, later } from '../calendar/day.ts'
import { closesOnceIn, opensOn } from '../quote/access.ts'
import type { QuotedLine, QuotedOffer } from '../quote/types.ts'
import { type Agreement, nextPayment } from './agreement.ts'

/**
 * When the course closes as things stand: by what was paid so far, or the day it was cancelled now. `placedOn` is the
 * day on which the order was paid, where its money came after the purchase day.
 */
export function closesAsItStands(
  { access, terms }: QuotedOffer,
  agreement: Agreement | null,
  purchaseDay: Day,
  paidBefore: number,
  placedOn: Day = purchaseDay,
): Day | null {
  const paid = agreement
    ? agreement.payments.slice(0, agreement.collected).filter(({ kind }) => kind === 'regular').length
    : paidBefore
  const byPaid = closesOnceIn(access, terms, purchaseDay, paid, placedOn)
  const closes = access.lasts === 'whilePaying' && byPaid !== null ? openToDue(byPaid, access, agreement) : byPaid
  const cancelled = agreement?.cancelled?.when === 'now' ? agreement.cancelled.on : null
  return cancelled !== null && (closes === null || cancelled < closes) ? cancelled : closes
}

/** A payment that was moved to a later day does not shut the course before it: it stays open to that day, and its grace. */
function openToDue(byPaid: Day, { graceDays }: QuotedOffer['access'], agreement: Agreement | null): Day {
  const unpaid = agreement && nextPayment(agreement)
  return unpaid ? later(byPaid, addDays(unpaid.due, graceDays)) : byPaid
}

/** Regular payments that the purchase itself paid. */
export function paidAtPurchase({ payments }: QuotedLine, purchaseDay: Day): number {
  return payments.filter(({ kind, due }) => kind === 'regular' && due === purchaseDay).length
}

/** Whether the course is open on a day, judged by all that happened up to its end (collecting rules, section 4). */
export function isOpenOn(
  day: Day,
  offer: QuotedOffer,
  agreement: Agreement | null,
  purchaseDay: Day,
  paid: number,
): boolean {
  if (opensOn(offer.access, purchaseDay) > day) return false
  const closes = closesAsItStands(offer, agreement, purchaseDay, paid)
  const suspendedFrom = suspendedForDebt(offer, agreement)
  return (closes === null || day < closes) && (suspendedFrom === null || day < suspendedFrom)
}

/**
 * The day from which an unpaid payment shuts the course, past its grace, until it is paid; null where none
 * does. Of a cancelled agreement only what was due before the cancelling counts.
 */
export function suspendedForDebt({ access }: QuotedOffer, agreement: Agreement | null): Day | null {
  const unpaid = agreement && nextPayment(agreement)
  if (access.lasts === 'whilePaying' || !agreement || !unpaid) return null
  if (agreement.cancelled !== null && unpaid.due >= agreement.cancelled.on) return null
  return addDays(unpaid.due, access.graceDays)
}
