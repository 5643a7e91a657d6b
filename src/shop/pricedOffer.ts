import type { MoneyFormat } from '../core/money/format.ts'
import { withOpening } from '../core/sentence/openings.ts'
import type { OfferInWords } from '../core/sentence/sentence.ts'
import type { ShopOffer } from '../server/client.ts'

/** What there is to say about an offer, as the server quoted it. */
export function pricedOffer({ terms, access, opening, quote }: ShopOffer, money: MoneyFormat): OfferInWords | null {
  const [line] = quote.lines
  const { isWhileMember } = opening
  return line
    ? withOpening({ terms, access, isWhileMember, line, purchaseDay: quote.purchaseDay, money }, opening)
    : null
}
