import { after, type Day } from '../calendar/day.ts'
import { dayIn, parseInstant } from '../calendar/instant.ts'
import { DocumentError } from '../document/reader.ts'
import type { MoneyFormat } from '../money/format.ts'
import { closesOnceIn, opensOn } from '../quote/access.ts'
import { quote } from '../quote/quote.ts'
import { readQuoteRequest } from '../quote/read.ts'
import { anchorOf } from '../quote/schedule.ts'
import type { Quote } from '../quote/types.ts'
import type { Spoken } from '../sentence/sentence.ts'
import type { Tax, Terms } from '../terms/terms.ts'
import { fittingAccess, type OfferContent, quotableSale, quotableTerms } from './offer.ts'

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
  courseId: string
  content: OfferContent
}

/**
 * The quote document (pricing rules, section 10) for one offer bought alone at `at`, an RFC 3339 instant;
 * `chosen` is the buyer's own price where they name it.
 */
export function quoteInputOf(
  school: PricingSchool,
  { id, courseId, content }: PricedOffer,
  at: string,
  chosen: number | null = null,
) {
  const { terms, sale, access, taxRate } = content
  return {
    currency: school.currency,
    timeZone: school.timeZone,
    at,
    tax: { mode: school.taxMode, rate: school.taxRate },
    horizon: horizonOf(quotableTerms(terms), school.timeZone, at),
    lines: [
      {
        role: 'main',
        chosen,
        offer: {
          id,
          courses: [{ id: courseId }],
          terms: quotableTerms(terms),
          sale: quotableSale(sale, terms),
          taxRate,
          access: fittingAccess(access, terms),
        },
      },
    ],
  }
}

export interface Said {
  quote: Quote
  spoken: Spoken
}

/** An offer's quote and what there is to say about it; null while a figure is missing or does not fit. */
export function speakOffer(school: PricingSchool, offer: PricedOffer, at: string): Said | null {
  if (!quotableTerms(offer.content.terms) || !parseInstant(at)) return null
  try {
    return speakQuote(school, quoteInputOf(school, offer, at))
  } catch (error) {
    if (error instanceof DocumentError) return null
    throw error
  }
}

/** @throws DocumentError where the document breaks a rule. */
export function speakQuote(money: MoneyFormat, input: unknown): Said {
  const request = readQuoteRequest(input)
  const quoted = quote(request)
  const [line] = quoted.lines
  const [asked] = request.lines
  if (!line || !asked) throw new RangeError('A quote has at least one line.')
  const { terms, access } = asked.offer
  return { quote: quoted, spoken: { terms, access, line, purchaseDay: quoted.purchaseDay, money } }
}

/** At least so many payments are listed of what goes on, and at most so many can be. */
const FEWEST = 3
const MOST = 120

/** How many payments are listed of what goes on until cancelled: those of the first year. */
function horizonOf(terms: Terms | null, timeZone: string, at: string): number | null {
  const instant = parseInstant(at)
  if (terms?.kind !== 'subscription' || terms.payments !== null || !instant) return null
  const purchaseDay = dayIn(timeZone, instant)
  const yearOn = after(purchaseDay, 1, { count: 1, unit: 'year' })
  const anchor = anchorOf(terms, purchaseDay)
  let count = FEWEST
  while (count < MOST && after(anchor, count, terms.every) <= yearOn) count++
  return count
}

/** The tax rate, in basis points, of the first line of a quote document. */
export function taxRateIn(input: unknown): number {
  const { lines, tax } = readQuoteRequest(input)
  return lines[0]?.offer.taxRate ?? tax.rate
}

/**
 * From when until when the first line of a quote document opens its courses, where the order is paid on `placedOn`.
 * `closes` is null for good, and for what is open while it is paid.
 */
export function accessIn(input: unknown, placedOn: Day): { opens: Day; closes: Day | null } {
  const request = readQuoteRequest(input)
  const offer = request.lines[0]?.offer
  if (!offer) throw new RangeError('A quote has at least one line.')
  const { access, terms } = offer
  const opens = opensOn(access, placedOn)
  return { opens, closes: access.lasts === 'whilePaying' ? null : closesOnceIn(access, terms, placedOn, 0, placedOn) }
}
