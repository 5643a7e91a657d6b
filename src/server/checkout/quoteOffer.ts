import type { OfferContent } from '../../core/content/offer.ts'
import { quoteInputOf, speakQuote } from '../../core/content/quoteInput.ts'
import type { Quote } from '../../core/quote/types.ts'
import type { School } from '../school/service.ts'

/**
 * Quotes one published offer for a purchase at `at`, through the same door as the `quote` command.
 * `input` is the document that it was computed from, to be kept with an order.
 * @throws DocumentError where the buyer's own price does not fit.
 */
export function quoteOffer(
  school: School,
  offer: { id: string; courseId: string; live: OfferContent },
  at: Date,
  chosen: number | null,
): { input: object; quote: Quote } {
  const input = quoteInputOf(school, { ...offer, content: offer.live }, at.toISOString(), chosen)
  return { input, quote: speakQuote(school, input).quote }
}
