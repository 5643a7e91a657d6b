import { addDays } from '../calendar/day.ts'
import { formatDay } from '../calendar/formatDay.ts'
import { dayIn, parseInstant } from '../calendar/instant.ts'
import type { Amount } from '../money/arithmetic.ts'
import { formatMoney } from '../money/format.ts'
import { taxOf } from '../quote/tax.ts'
import { SALE } from '../words/en/price.ts'
import { say } from '../words/message.ts'
import { type Published, runningSale } from './earlierPrice.ts'
import type { OfferContent } from './offer.ts'
import type { PricingSchool } from './quoteInput.ts'

/** A running sale as buyers see it; amounts are what is paid, tax included. */
export interface ShownSale {
  now: Amount
  /** Struck out beside it; null where no earlier price may be shown. */
  earlier: Amount | null
  /** What both are of: nothing for a one-time price. */
  of: '' | 'in all' | 'each' | 'first payment'
  /** Until when, and what the earlier price is, in a sentence. */
  says: string
}

/** The sale in force at `at`, an RFC 3339 instant, by what was published; null where none is. */
export function shownSale(history: readonly Published[], school: PricingSchool, at: string): ShownSale | null {
  const sale = runningSale(history, at)
  const content = history.findLast(({ publishedAt }) => publishedAt <= at)?.content ?? history.at(-1)?.content
  if (!sale || !content) return null
  const rate = content.taxRate ?? school.taxRate
  const paid = (amount: Amount) => taxOf(amount, { mode: school.taxMode, rate }).pay
  const until = sale.until && formatUntil(sale.until, school)
  const earlier = sale.earlier === null ? null : paid(sale.earlier)
  const now = paid(sale.amount)
  const says =
    earlier === null
      ? until
        ? say(SALE.untilThen, { until, money: formatMoney(paid(sale.list), school) })
        : SALE.now
      : until
        ? say(SALE.untilLowest, { until, money: formatMoney(earlier, school) })
        : say(SALE.lowest, { money: formatMoney(earlier, school) })
  return { now, earlier, of: whatOf(content, sale.scope), says }
}

function whatOf({ terms }: OfferContent, scope: 'every' | 'first'): ShownSale['of'] {
  if (terms.kind === 'installments' && terms.total !== null) return 'in all'
  if (terms.kind === 'installments' || terms.kind === 'subscription')
    return scope === 'first' ? 'first payment' : 'each'
  return ''
}

/** "until 29 November, 18:00 (Vienna)"; midnight is the end of the day before. */
function formatUntil(until: string, { timeZone, language }: PricingSchool): string {
  const instant = parseInstant(until)
  if (!instant) return ''
  const day = dayIn(timeZone, instant)
  const clock = new Intl.DateTimeFormat('en-GB', { timeStyle: 'short', timeZone }).format(new Date(until))
  const place = timeZone.split('/').at(-1)?.replaceAll('_', ' ') ?? ''
  return clock === '00:00'
    ? say(SALE.endOfDay, { day: formatDay(addDays(day, -1), language), place })
    : say(SALE.atTime, { day: formatDay(day, language), time: clock, place })
}
