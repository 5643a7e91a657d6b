import { clockMoment } from '../calendar/clock.ts'
import { formatDay } from '../calendar/formatDay.ts'
import { formatMoney, formatRate } from '../money/format.ts'
import { formatList } from '../sentence/words.ts'
import type { CouponContent } from './coupon.ts'
import type { PricingSchool } from './quoteInput.ts'

/** What is said of a coupon, for the creator. */
type School = Pick<PricingSchool, 'currency' | 'language' | 'timeZone'>

/** Names what a coupon is for: the titles of products and offers, in the order in which they stand in the shop. */
export type NameOf = (chosen: NonNullable<CouponContent['appliesTo']>) => readonly string[]

/** A coupon in one sentence; figures that are missing are a dash. */
export function formatCoupon(content: CouponContent, school: School, nameOf: NameOf): string {
  const { minimum, limit, limitPerBuyer } = content
  const clauses = [
    `${formatReduction(content, school)} off ${formatPayments(content)} of ${formatScope(content, nameOf)}`,
    formatSpan(content, school),
    minimum === null ? '' : `for orders of at least ${formatMoney(minimum, school)}`,
    content.skipsSale ? 'not beside a sale price' : '',
    content.firstPurchaseOnly ? 'for a first purchase' : '',
    limitPerBuyer === null ? '' : `${formatTimes(limitPerBuyer)} per buyer`,
    limit === null ? '' : `${formatTimes(limit)} in all`,
    content.isSet ? 'each code once' : '',
    content.combines ? 'beside other codes' : '',
  ]
  return `${clauses.filter((clause) => clause !== '').join(', ')}.`
}

/** What it takes off: "10 %" or "€15.00". */
export function formatReduction(
  { kind, rate, amount }: Pick<CouponContent, 'kind' | 'rate' | 'amount'>,
  school: School,
): string {
  if (kind === 'percent') return rate === null ? '–' : formatRate(rate, school.language)
  return amount === null ? '–' : formatMoney(amount, school)
}

function formatPayments({ payments }: CouponContent): string {
  if (payments === null) return 'every payment'
  return payments === 1 ? 'the first payment' : `the first ${payments} payments`
}

function formatScope(content: CouponContent, nameOf: NameOf): string {
  const { appliesTo, bumps, upsells } = content
  const what = appliesTo === null ? 'every offer' : formatList(nameOf(appliesTo), 'or') || 'nothing yet'
  const more = [bumps ? 'order bumps' : '', upsells ? 'upsells' : ''].filter((one) => one !== '')
  return more.length > 0 ? `${what}, ${formatList(more)} too` : what
}

/** "from 1 March to the end of 31 March 2027"; empty where it begins and ends by itself never. */
function formatSpan({ from, until }: CouponContent, school: School): string {
  const begins = from && formatMoment(from, school, 'from')
  const ends = until && formatMoment(until, school, 'until')
  if (begins && ends) return `from ${begins} to ${ends}`
  if (begins) return `from ${begins} on`
  return ends ? `until ${ends}` : ''
}

function formatMoment(moment: string, { timeZone, language }: School, which: 'from' | 'until'): string {
  const { day, time } = clockMoment(moment, timeZone, which)
  const said = formatDay(day, language)
  if (time !== null) return `${said}, ${time}`
  return which === 'until' ? `the end of ${said}` : said
}

function formatTimes(count: number): string {
  return count === 1 ? 'once' : count === 2 ? 'twice' : `${count} times`
}
