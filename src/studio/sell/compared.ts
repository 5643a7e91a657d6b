import { after, type Day } from '../../core/calendar/day.ts'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { type Compared, compareOffer } from '../../core/content/compare.ts'
import { type CouponContent, couponInput } from '../../core/content/coupon.ts'
import { type BasketTerms, describeOffer, type PricingSchool } from '../../core/content/quoteInput.ts'
import type { FeeTerms } from '../../core/money/fee.ts'
import type { MoneyFormat } from '../../core/money/format.ts'
import { formatLater, type OfferInWords } from '../../core/sentence/sentence.ts'
import type { ShelfOffer, ShelfProduct } from './queries.ts'

/** How far ahead a comparison looks. */
export const MAX_MONTHS = 36

/** One offer beside others, with all that is said about it. */
export interface Column {
  id: string
  course: string
  name: string
  coverColor: ShelfProduct['coverColor']
  priced: OfferInWords
  sums: Compared
  open: string
  /** Of a bundle: what its courses cost one by one, each at once, tax included; null where not all are sold so. */
  oneByOne: number | null
  /** Where a code is looked at: what it would be without it; null where the code does not count for it. */
  without: Compared | null
}

/** A code that the offers are looked at with. */
export interface ComparedCode {
  code: string
  content: CouponContent
}

/** The chosen offers as columns; those without a price are left out. */
export function columnsOf(
  courses: readonly ShelfProduct[],
  chosen: readonly string[],
  school: PricingSchool & MoneyFormat,
  fee: FeeTerms | null,
  at: string,
  coupon: ComparedCode | null = null,
): Column[] {
  const found: Column[] = []
  for (const id of chosen) {
    const course = courses.find(({ offers }) => offers.some((offer) => offer.id === id))
    const offer = course?.offers.find((other) => other.id === id)
    const priced = course && offer && { id, courses: [{ id: course.id, opens: course.opens }], content: offer.content }
    const plain = priced && describeOffer(school, priced, at)
    if (!course || !offer || !priced || !plain) continue
    const coded = coupon && describeOffer(school, priced, at, withCode(coupon, school, { id, productId: course.id }))
    const counts = coded?.quote.codes.some((code) => code.counts) ?? false
    const said = coded && counts ? coded : plain
    const until = after(said.quote.purchaseDay, MAX_MONTHS, { count: 1, unit: 'month' })
    const atOnce = atOnceOf(course, school, at)
    const sums = compareOffer(said.priced, fee, atOnce, until)
    const { name } = offer
    const { title, coverColor } = course
    found.push({
      ...{ id, course: title, name, coverColor, priced: said.priced, sums, open: formatOpen(said.priced) },
      oneByOne: partsOf(course, courses, school, at),
      without: counts ? compareOffer(plain.priced, fee, atOnce, until) : null,
    })
  }
  return found
}

/** What an offer is quoted with where somebody enters a code for the first time. */
function withCode(
  { code, content }: ComparedCode,
  { currency }: PricingSchool,
  offer: { id: string; productId: string },
): BasketTerms {
  const coupon = couponInput(content, { code, currency, offers: [offer] }, { used: 0, usedByBuyer: 0 })
  return { coupons: [coupon], codes: [code], buyer: { purchases: 0 } }
}

/** What the courses of a bundle cost one by one; null of a course, and where one of them is not sold at once. */
function partsOf(
  { kind, courseIds }: ShelfProduct,
  all: readonly ShelfProduct[],
  school: PricingSchool,
  at: string,
): number | null {
  if (kind !== 'bundle') return null
  let sum = 0
  for (const id of courseIds) {
    const part = all.find((course) => course.id === id)
    const price = part ? (isFree(part) ? 0 : atOnceOf(part, school, at)) : null
    if (price === null) return null
    sum += price
  }
  return sum
}

/** Whether a course can be had for nothing by everybody. */
function isFree({ offers }: ShelfProduct): boolean {
  return offers.some(
    ({ content, isRetired }) => content.terms.kind === 'free' && content.audience.who === 'everyone' && !isRetired,
  )
}

/** The course's one-time price, tax included. */
function atOnceOf({ id, offers }: ShelfProduct, school: PricingSchool, at: string): number | null {
  const single = offers.find((offer: ShelfOffer) => offer.content.terms.kind === 'single' && !offer.isRetired)
  if (!single) return null
  return (
    describeOffer(school, { id: single.id, courses: [{ id: id }], content: single.content }, at)?.quote.today.pay ??
    null
  )
}

function formatOpen({ access, isWhileMember, line, purchaseDay, money }: OfferInWords): string {
  const day = (when: Day) => formatDay(when, money.language)
  const opens = line.opens > purchaseDay ? `from ${day(line.opens)}, ` : ''
  if (access.lasts === 'whilePaying') return `${opens}while it is paid`
  if (isWhileMember) return `${opens}as long as the membership lasts`
  return line.closes ? `${opens}until ${day(line.closes)}` : `${opens}for good`
}

/** What follows today, without how long the course is open. */
export function formatThen(priced: OfferInWords): string {
  const later = formatLater(priced).split(' · ')[0] ?? ''
  return later.startsWith('then ') ? later.slice(5) : '–'
}
