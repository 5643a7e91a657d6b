import type { OfferContent } from '../../core/content/offer.ts'
import { type BasketTerms, basketInput, describeQuote, PLAIN } from '../../core/content/quoteInput.ts'
import { type StoredQuote, storeQuote } from '../../core/quote/stored.ts'
import type { Quote, Role } from '../../core/quote/types.ts'
import type { School } from '../school/service.ts'

/** A published offer in a basket, with the buyer's own price where they name it. */
export interface BasketLine {
  role: Role
  chosen: number | null
  offer: { id: string; productId: string; live: OfferContent }
  courses: readonly { id: string; weight: number }[]
}

/** What a basket comes to, and what it was computed from. */
export interface Quoted {
  input: StoredQuote
  quote: Quote
}

/**
 * Quotes published offers for a purchase at `at`, through the same door as the `quote` command. `input` is what it was
 * computed from, to be kept with an order.
 * @throws DocumentError where the buyer's own price does not fit.
 */
export function quoteBasket(
  school: School,
  lines: readonly BasketLine[],
  at: Date,
  terms: BasketTerms = PLAIN,
): Quoted {
  const priced = lines.map(({ role, chosen, offer, courses }) => ({
    role,
    chosen,
    offer: { id: offer.id, content: offer.live, courses },
  }))
  const document = basketInput(school, priced, at.toISOString(), terms)
  return { input: storeQuote(document), quote: describeQuote(school, document).quote }
}
