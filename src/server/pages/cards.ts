import { buyPathOf } from '../catalogue/products.ts'
import type { SellableProduct } from '../catalogue/sellable.ts'
import type { ProductCard } from '../views/data.ts'

type Shown = Pick<SellableProduct, 'kind' | 'slug' | 'live'> & Partial<Pick<SellableProduct, 'pageSlug'>>

/** A product as the shop's lists and heads show it. */
export function cardOf({ kind, slug, pageSlug, live }: Shown): ProductCard {
  const { title, summary, coverColor, coverId } = live
  return { kind, slug, buy: buyPathOf({ slug, pageSlug }), title, summary, coverColor, coverId }
}
