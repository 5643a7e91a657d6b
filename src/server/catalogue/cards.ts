import type { CoverColor } from '../../core/content/course.ts'
import { buyPathOf } from './products.ts'
import type { SellableProduct } from './sellable.ts'

/** A course, or a bundle of courses; its page is at `/<kind>/<slug>`. */
export interface ProductCard {
  kind: 'course' | 'bundle'
  slug: string
  /** The path of the checkout page to which its buttons lead. */
  buy: string
  title: string
  summary: string
  coverColor: CoverColor
  coverId: string | null
}

type Shown = Pick<SellableProduct, 'kind' | 'slug' | 'live'> & Partial<Pick<SellableProduct, 'pageSlug'>>

/** A product as the shop's lists and heads show it. */
export function cardOf({ kind, slug, pageSlug, live }: Shown): ProductCard {
  const { title, summary, coverColor, coverId } = live
  return { kind, slug, buy: buyPathOf({ slug, pageSlug }), title, summary, coverColor, coverId }
}
