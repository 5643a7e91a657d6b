import { after, type Day } from '../../core/calendar/day.ts'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { type Compared, compareOffer } from '../../core/content/compare.ts'
import { describeOffer, type PricingSchool } from '../../core/content/quoteInput.ts'
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
}

/** The chosen offers as columns; those without a price are left out. */
export function columnsOf(
  courses: readonly ShelfProduct[],
  chosen: readonly string[],
  school: PricingSchool & MoneyFormat,
  fee: FeeTerms | null,
  at: string,
): Column[] {
  const found: Column[] = []
  for (const id of chosen) {
    const course = courses.find(({ offers }) => offers.some((offer) => offer.id === id))
    const offer = course?.offers.find((other) => other.id === id)
    const said =
      course && offer && describeOffer(school, { id, courses: [{ id: course.id }], content: offer.content }, at)
    if (!course || !offer || !said) continue
    const until = after(said.quote.purchaseDay, MAX_MONTHS, { count: 1, unit: 'month' })
    const sums = compareOffer(said.priced, fee, atOnceOf(course, school, at), until)
    const { name } = offer
    const { title, coverColor } = course
    found.push({ id, course: title, name, coverColor, priced: said.priced, sums, open: formatOpen(said.priced) })
  }
  return found
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

function formatOpen({ access, line, purchaseDay, money }: OfferInWords): string {
  const day = (when: Day) => formatDay(when, money.language)
  const opens = line.opens > purchaseDay ? `from ${day(line.opens)}, ` : ''
  if (access.lasts === 'whilePaying') return `${opens}while it is paid`
  return line.closes ? `${opens}until ${day(line.closes)}` : `${opens}for good`
}

/** What follows today, without how long the course is open. */
export function formatThen(priced: OfferInWords): string {
  const later = formatLater(priced).split(' · ')[0] ?? ''
  return later.startsWith('then ') ? later.slice(5) : '–'
}
