import * as v from 'valibot'

/** Most sections of the shop's front, and most things that one names. */
export const MAX_SECTIONS = 20
const MAX_IN_SECTION = 200

/** What a creator says of the shop's front, as a draft. */
export const frontContentSchema = v.object({
  /** The large words above everything; empty: made from the school's name. */
  headline: v.pipe(v.string(), v.maxLength(120, 'Use at most 120 characters.')),
  /** A few words beside it. */
  intro: v.pipe(v.string(), v.maxLength(300, 'Use at most 300 characters.')),
  /** What is sold, in named sections, in their order; what is in none comes behind them. */
  sections: v.pipe(
    v.array(
      v.object({
        id: v.pipe(v.string(), v.minLength(1), v.maxLength(60)),
        title: v.pipe(v.string(), v.maxLength(60, 'Use at most 60 characters.')),
        products: v.pipe(v.array(v.pipe(v.string(), v.uuid())), v.maxLength(MAX_IN_SECTION)),
      }),
    ),
    v.maxLength(MAX_SECTIONS, `The shop has at most ${MAX_SECTIONS} sections.`),
    v.check((sections) => {
      const all = sections.flatMap(({ products }) => products)
      return new Set(all).size === all.length
    }, 'The same thing is in two sections.'),
  ),
  /** Whether buyers can collect several things in a basket, besides buying each at once. */
  hasBasket: v.optional(v.boolean(), false),
})
export type FrontContent = v.InferOutput<typeof frontContentSchema>

/** The shop's front as it is while nobody has shaped it. */
export const PLAIN_FRONT: FrontContent = { headline: '', intro: '', sections: [], hasBasket: false }

/** A section with what is in it, in order; without a title where nobody put it into one. */
export interface Shelved<T> {
  id: string
  title: string
  products: T[]
}

/** Things in their sections, what is in none behind them; sections with nothing in them are left out. */
export function shelve<T extends { id: string }>({ sections }: FrontContent, all: readonly T[]): Shelved<T>[] {
  const byId = new Map(all.map((product) => [product.id, product]))
  const named = new Set(sections.flatMap(({ products }) => products))
  const rest = { id: '', title: '', products: all.filter(({ id }) => !named.has(id)) }
  const shelved = sections.map(({ id, title, products }) => ({
    id,
    title,
    products: products.flatMap((productId) => byId.get(productId) ?? []),
  }))
  return [...shelved, rest].filter(({ products }) => products.length > 0)
}
