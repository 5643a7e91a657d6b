import type { Quote } from '../../core/quote/types.ts'
import { sellableLines } from '../catalogue/sellable.ts'
import { findCodes } from '../coupons/codes.ts'
import { type EnteredCodes, enterCodes, withRefused } from '../coupons/entered.ts'
import { describeCodes, type EnteredCode } from '../coupons/sayings.ts'
import type { Services } from '../platform/context.ts'
import { getSchool } from '../school/service.ts'
import { basketOn } from './asked.ts'
import { countingFor, quoteWithCodes } from './codedQuote.ts'
import type { PlaceRequest, Shopper } from './placing.ts'

/** What a basket comes to as it would be placed now, with the codes that were entered. */
export interface BasketAnswer {
  quote: Quote
  codes: EnteredCode[]
}

/**
 * What a basket comes to with its codes, as it would be placed now; nothing is placed by it. Whether a buyer used a code
 * before is said to who is signed in alone.
 * @param slug the address of the page on which it is.
 * @throws Problem 410 where something is not on sale, 422 at a price that cannot be paid.
 */
export async function quoteOnPage(
  services: Services,
  slug: string,
  request: Pick<PlaceRequest, 'lines' | 'codes'>,
  shopper: Shopper,
): Promise<BasketAnswer> {
  const { db } = services
  const [{ lines }, school, entered] = await Promise.all([
    basketOn(services, slug, request, shopper),
    getSchool(db),
    enterCodes(services, request.codes ?? [], shopper),
  ])
  const { found } = entered
  const coded = { lines, codes: request.codes ?? [], found }
  const { quote } = await quoteWithCodes(db, school, coded, countingFor(shopper), services.now())
  return { quote, codes: withRefused(await describeCodes(db, school, found, { quote, lines }), entered) }
}

/**
 * What one offer comes to with a code, as a page is shown with it; null where its creator's code does not exist, or the
 * offer's price is the buyer's own.
 * @param entered how a code of the page's address was entered, which counts as if it were typed; absent: it is the creator's.
 */
export async function quoteKnownCode(
  { db, now }: Services,
  code: string,
  offerId: string,
  { mode, person, browserHash }: Pick<Shopper, 'mode' | 'person'> & { browserHash: string | null },
  entered: EnteredCodes | null = null,
): Promise<BasketAnswer | null> {
  const [found, sellable, school] = await Promise.all([
    entered?.found ?? findCodes(db, [code]),
    sellableLines(db, [offerId], now()),
    getSchool(db),
  ])
  const line = sellable.get(offerId)
  if ((found.length === 0 && !entered) || !line || line.offer.live.terms.kind === 'openPrice') return null
  const lines = [{ ...line, chosen: null, role: 'main' as const }]
  const counting = { mode, personId: person?.id ?? null, except: { browserHash: browserHash ?? '' } }
  const { quote } = await quoteWithCodes(db, school, { lines, codes: [code], found }, counting, now())
  const codes = await describeCodes(db, school, found, { quote, lines })
  return { quote, codes: entered ? withRefused(codes, entered) : codes }
}
