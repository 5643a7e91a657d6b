import type { SellableProduct } from '../catalogue/sellable.ts'
import type { ProductCard } from '../views/data.ts'

/** A product as the shop's lists and heads show it. */
export function cardOf({ kind, slug, live }: Pick<SellableProduct, 'kind' | 'slug' | 'live'>): ProductCard {
  const { title, summary, coverColor, coverId } = live
  return { kind, slug, title, summary, coverColor, coverId }
}
