import { addDays, type Day } from '../calendar/day.ts'
import { closesOn, opensOn } from '../quote/access.ts'
import type { QuotedOffer } from '../quote/types.ts'
import { type Agreement, inHand } from './agreement.ts'

/** When the course closes as things stand: by what was paid so far, or the day it was cancelled now. */
export function closesAsItStands(
  { access, terms }: QuotedOffer,
  agreement: Agreement | null,
  purchaseDay: Day,
  paidAtPurchase: number,
): Day | null {
  const paid = agreement
    ? agreement.payments.slice(0, agreement.collected).filter(({ kind }) => kind === 'regular').length
    : paidAtPurchase
  const closes = closesOn(access, terms, purchaseDay, paid, '')
  const cancelled = agreement?.cancelled?.when === 'now' ? agreement.cancelled.on : null
  return cancelled !== null && (closes === null || cancelled < closes) ? cancelled : closes
}

/** Whether the course is open on a day, judged by all that happened up to its end (collecting rules, section 4). */
export function isOpenOn(
  day: Day,
  offer: QuotedOffer,
  agreement: Agreement | null,
  purchaseDay: Day,
  paidAtPurchase: number,
): boolean {
  if (opensOn(offer.access, purchaseDay) > day) return false
  const closes = closesAsItStands(offer, agreement, purchaseDay, paidAtPurchase)
  if (closes !== null && day >= closes) return false
  return offer.access.lasts === 'whilePaying' || !agreement || !isShutByDebt(day, offer.access.graceDays, agreement)
}

/** Overdue past its grace, a payment shuts the course; of a cancelled agreement only what was due before counts. */
function isShutByDebt(day: Day, graceDays: number, agreement: Agreement): boolean {
  const unpaid = inHand(agreement)
  if (!unpaid || addDays(unpaid.due, graceDays) > day) return false
  return agreement.cancelled === null || unpaid.due < agreement.cancelled.on
}
