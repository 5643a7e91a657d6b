import { BASKET } from '../../core/words/en/basket.ts'
import { CATALOGUE } from '../../core/words/en/shop.ts'
import type { ProductCard, ShopOffer, ShopPage } from '../../server/client.ts'
import { Button } from '../../ui/Button.tsx'
import { OfferCard } from '../../ui/OfferCard.tsx'
import { pricedOffer } from '../pricedOffer.ts'
import { WhatIsNeeded } from './WhatIsNeeded.tsx'

/** The offers of a course or a bundle beside its page, each with its button; or that there are none. */
export function OfferCards({ page, product, offers }: { page: ShopPage; product: ProductCard; offers: ShopOffer[] }) {
  if (offers.length === 0) return <p className="text-ink-2">{CATALOGUE.notOnSale}</p>
  return offers.map((offer) => (
    <OfferCard
      key={offer.id}
      name={offer.name}
      button={offer.button}
      priced={pricedOffer(offer, page.school)}
      highlighted={offer.highlighted}
      lines={offer.lines}
      sale={offer.sale}
      needs={offer.needs?.courses.map(({ title }) => title) ?? []}
      href={`${product.buy}?offer=${offer.id}`}
      beside={
        page.basket !== null ? (
          <form method="post" action="/basket/add" className="mt-2">
            <input type="hidden" name="offer" value={offer.id} />
            <Button type="submit" className="w-full py-2 text-center">
              {BASKET.add}
              <span className="sr-only">: {offer.name}</span>
            </Button>
          </form>
        ) : undefined
      }
      instead={
        offer.needs && !offer.needs.isMet ? (
          <WhatIsNeeded needs={offer.needs} then={`/${product.kind}/${product.slug}`} />
        ) : undefined
      }
    />
  ))
}
