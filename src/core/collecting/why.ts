import { addDays, type Day } from '../calendar/day.ts'
import { sayDay } from '../calendar/sayDay.ts'
import type { QuotedLine, QuotedOffer } from '../quote/types.ts'
import { closesAsItStands, paidAtPurchase, shutsForDebt } from './access.ts'
import type { Agreement } from './agreement.ts'

interface Reasons {
  offer: QuotedOffer
  agreement: Agreement
  line: QuotedLine
  purchaseDay: Day
  method: string | null
  language: string
}

/**
 * Why a course is open until when, in words: "Open until 4 April: paid through 1 April, plus 3 days of grace;
 * payment 5 of 12 collected on 1 March by card ending 4821." All of it is read off the agreement.
 */
export function sayWhyOpen({ offer, agreement, line, purchaseDay, method, language }: Reasons): string {
  const day = (when: Day) => sayDay(when, language)
  const closes = closesAsItStands(offer, agreement, purchaseDay, paidAtPurchase(line, purchaseDay))
  const shuts = shutsForDebt(offer, agreement)
  const { graceDays, lasts } = offer.access
  const grace = graceDays > 0 ? `, plus ${graceDays} ${graceDays === 1 ? 'day' : 'days'} of grace` : ''
  const count = agreement.endless ? '' : ` of ${agreement.payments.length}`
  const collected =
    agreement.collected > 0
      ? `payment ${agreement.collected}${count} collected on ${day(agreement.lastCollected)}${method ? ` by ${method}` : ''}`
      : 'nothing was due so far'
  if (agreement.cancelled?.when === 'now') return `Closed on ${day(agreement.cancelled.on)}: cancelled on that day.`
  if (lasts === 'whilePaying' && closes) {
    return `Open until ${day(closes)}: paid through ${day(addDays(closes, -graceDays))}${grace}; ${collected}.`
  }
  const until = closes ? `Open until ${day(closes)}` : 'Open for good'
  const next = agreement.payments[agreement.collected]
  if (!shuts || !next || agreement.state === 'completed') return `${until}; ${collected}.`
  return `${until}, as long as it is paid: the payment due on ${day(next.due)} shuts it on ${day(shuts)}${graceDays > 0 ? `, after ${graceDays} ${graceDays === 1 ? 'day' : 'days'} of grace` : ''}; ${collected}.`
}
