import type { BenchPage } from '../sell/queries.ts'

/** The offers on sale of what a page sells that can be bought alone. */
export function ownOffers({ product, offers }: BenchPage): BenchPage['offers'] {
  return offers.filter(
    ({ productId, isOnSale, content: { audience } }) =>
      productId === product?.id && isOnSale && audience.who !== 'added',
  )
}
