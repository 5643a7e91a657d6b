import { after, type Day } from '../calendar/day.ts'
import { dayIn, parseInstant } from '../calendar/instant.ts'
import { DocumentError } from '../document/reader.ts'
import type { MoneyFormat } from '../money/format.ts'
import { includedIn, openingDay } from '../quote/courseDay.ts'
import { quote } from '../quote/quote.ts'
import { readQuoteRequest } from '../quote/read.ts'
import { anchorOf } from '../quote/schedule.ts'
import { readStoredQuote } from '../quote/stored.ts'
import type { Quote, Role } from '../quote/types.ts'
import type { OfferInWords } from '../sentence/sentence.ts'
import type { Access, Tax, Terms } from '../terms/terms.ts'
import { fittingAccess, membersOf, type OfferContent, quotableSale, quotableTerms } from './offer.ts'

/** What of a school a price depends on. */
export interface PricingSchool {
  currency: string
  language: string
  timeZone: string
  taxMode: Tax['mode']
  taxRate: number
}

export interface PricedOffer {
  id: string
  /** The courses that it opens. `weight`: 1 if absent; `opens`: the course's opening day. */
  courses: readonly { id: string; weight?: number; opens?: Day | null }[]
  content: OfferContent
}

/** One thing in a basket; `chosen` is the buyer's own price where they name it. */
export interface PricedLine {
  role: Role
  offer: PricedOffer
  chosen: number | null
}

/** What a basket's price depends on beside its lines. */
export interface BasketTerms {
  /** Coupons as the quote document has them, and the codes that were entered. */
  coupons: readonly object[]
  codes: readonly string[]
  buyer: { purchases: number }
}
export const PLAIN: BasketTerms = { coupons: [], codes: [], buyer: { purchases: 0 } }

/**
 * The quote document (pricing rules, section 10) of a basket bought at `at`, an RFC 3339 instant. It is the one place
 * where it is made, whoever asks.
 */
export function basketInput(school: PricingSchool, lines: readonly PricedLine[], at: string, terms = PLAIN) {
  return {
    currency: school.currency,
    timeZone: school.timeZone,
    at,
    tax: { mode: school.taxMode, rate: school.taxRate },
    horizon: horizonOf(
      lines.map(({ offer }) => quotableTerms(offer.content.terms)),
      school.timeZone,
      at,
    ),
    buyer: terms.buyer,
    lines: lines.map(({ role, chosen, offer: { id, courses, content } }) => ({
      role,
      chosen,
      offer: {
        id,
        courses: coursesIn(courses, content).map(({ id: course, weight = 1 }) => ({ id: course, weight })),
        terms: quotableTerms(content.terms),
        sale: quotableSale(content.sale, content.terms),
        taxRate: content.taxRate,
        access: accessOf(courses, content, dayOf(school, at)),
      },
    })),
    coupons: terms.coupons,
    codes: terms.codes,
  }
}

/** The courses that are included in an offer; where none is, all of them, and the quote refuses its access. */
function coursesIn(courses: PricedOffer['courses'], { access, terms }: OfferContent): PricedOffer['courses'] {
  const included = includedIn(courses, fittingAccess(access, terms))
  return included.length > 0 ? included : courses
}

/** The school's day at `at`; null where that is no instant, which the quote refuses. */
function dayOf({ timeZone }: Pick<PricingSchool, 'timeZone'>, at: string): Day | null {
  const instant = parseInstant(at)
  return instant && dayIn(timeZone, instant)
}

/**
 * An offer's access as its quote has it: with the day of its course where it opens one, is no subscription and the day
 * lies ahead; of all else the grants know it (selling rules, section 2a).
 */
function accessOf(courses: PricedOffer['courses'], { access, terms }: OfferContent, today: Day | null): Access {
  const fitting = fittingAccess(access, terms)
  const isNoneIncluded = includedIn(courses, fitting).length === 0
  const [first] = courses.flatMap(({ opens }) => (opens && today !== null && opens > today ? [opens] : [])).sort()
  const isItsOwn = courses.length === 1 && terms.kind !== 'subscription'
  if (!first || !(isItsOwn || isNoneIncluded)) return fitting
  return { ...fitting, from: openingDay(fitting.from ?? first, first) }
}

/** The quote document of one offer that is bought alone. */
export function quoteInputOf(
  school: PricingSchool,
  offer: PricedOffer,
  at: string,
  chosen: number | null = null,
  terms = PLAIN,
) {
  return basketInput(school, [{ role: 'main', offer, chosen }], at, terms)
}

export interface DescribedOffer {
  quote: Quote
  priced: OfferInWords
}

/**
 * An offer's quote and what there is to say about it, with the codes of `terms`; null while a figure is missing or does
 * not fit.
 */
export function describeOffer(
  school: PricingSchool,
  offer: PricedOffer,
  at: string,
  terms = PLAIN,
): DescribedOffer | null {
  if (!quotableTerms(offer.content.terms) || !parseInstant(at)) return null
  try {
    const { quote: quoted, priced } = describeQuote(school, quoteInputOf(school, offer, at, null, terms))
    return { quote: quoted, priced: { ...priced, isWhileMember: membersOf(offer.content) !== null } }
  } catch (error) {
    if (error instanceof DocumentError) return null
    throw error
  }
}

/** @throws DocumentError where the document breaks a rule. */
export function describeQuote(money: MoneyFormat, input: unknown): DescribedOffer {
  const request = readQuoteRequest(input)
  const quoted = quote(request)
  const [line] = quoted.lines
  const [asked] = request.lines
  if (!line || !asked) throw new RangeError('A quote has at least one line.')
  const { terms, access } = asked.offer
  return { quote: quoted, priced: { terms, access, line, purchaseDay: quoted.purchaseDay, money } }
}

/** At least so many payments are listed of what goes on, and at most so many can be. */
const MIN_PAYMENTS = 3
const MAX_PAYMENTS = 120

/** How many payments are listed of what goes on until cancelled: those of the first year, of whatever asks for most. */
function horizonOf(all: readonly (Terms | null)[], timeZone: string, at: string): number | null {
  const instant = parseInstant(at)
  if (!instant) return null
  const purchaseDay = dayIn(timeZone, instant)
  const yearOn = after(purchaseDay, 1, { count: 1, unit: 'year' })
  const counts = all.flatMap((terms) => {
    if (terms?.kind !== 'subscription' || terms.payments !== null) return []
    const anchor = anchorOf(terms, purchaseDay)
    let count = MIN_PAYMENTS
    while (count < MAX_PAYMENTS && after(anchor, count, terms.every) <= yearOn) count++
    return [count]
  })
  return counts.length > 0 ? Math.max(...counts) : null
}

/**
 * Tax of what is paid today by rate, in basis points, as far as there is any; `except` lines, by their position, whose
 * money was not owed.
 */
export function taxesToday(
  stored: unknown,
  { lines, purchaseDay }: Quote,
  except: readonly number[] = [],
): { rate: number; tax: number }[] {
  const request = readStoredQuote(stored)
  const byRate = new Map<number, number>()
  for (const [index, { payments }] of lines.entries()) {
    if (except.includes(index)) continue
    const rate = request.lines[index]?.offer.taxRate ?? request.tax.rate
    const tax = payments.reduce((sum, payment) => sum + (payment.due === purchaseDay ? payment.tax : 0), 0)
    byRate.set(rate, (byRate.get(rate) ?? 0) + tax)
  }
  return [...byRate].map(([rate, tax]) => ({ rate, tax })).filter(({ tax }) => tax > 0)
}
