import { addDays, after, type Day, later } from '../calendar/day.ts'
import { fail } from '../document/reader.ts'
import type { Access, Terms } from '../terms/terms.ts'
import { anchorOf } from './schedule.ts'

/** The day on which a course opens for who buys it on `purchaseDay` (pricing rules, section 8). */
export function opensOn(access: Pick<Access, 'from'>, purchaseDay: Day): Day {
  return access.from ? later(purchaseDay, access.from) : purchaseDay
}

/**
 * The first day on which the course is shut again; null is never (pricing rules, section 8).
 * @param paid number of regular payments collected so far, which only `whilePaying` looks at.
 * @param at pointer of the access rule.
 * @throws DocumentError where a fixed closing date is not after the opening.
 */
export function closesOn(access: Access, terms: Terms, purchaseDay: Day, paid: number, at: string): Day | null {
  const opens = opensOn(access, purchaseDay)
  const { lasts } = access
  if (lasts === 'forever') return null
  if (lasts === 'whilePaying') {
    if (terms.kind !== 'subscription') fail(`${at}/lasts`, 'whilePaying is for subscriptions')
    return addDays(after(anchorOf(terms, purchaseDay), paid, terms.every), access.graceDays)
  }
  if ('until' in lasts) {
    if (lasts.until <= opens) fail(`${at}/lasts/until`, `must be after ${opens}, when the course opens`)
    return lasts.until
  }
  return after(opens, 1, lasts)
}

/**
 * The same for money that came on a later day than the order: what lasts a span counts from the day on which the order
 * was paid, so that nobody loses days by waiting; a fixed day stays, also where it was past by then (collecting rules,
 * section 1; selling rules, section 2).
 */
export function closesOnceIn(access: Access, terms: Terms, purchaseDay: Day, paid: number, placedOn: Day): Day | null {
  const { lasts } = access
  if (typeof lasts === 'object' && 'until' in lasts) return lasts.until
  return closesOn(access, terms, lasts === 'whilePaying' ? purchaseDay : placedOn, paid, '')
}
