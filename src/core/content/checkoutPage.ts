import * as v from 'valibot'

const id = v.pipe(v.string(), v.uuid())

/** Most order bumps of one checkout page. */
export const MAX_BUMPS = 3

const bumpSchema = v.object({
  /** Names it on its page. */
  id: v.pipe(v.string(), v.minLength(1), v.maxLength(60)),
  /** What it offers beside; null until it is chosen. */
  offerId: v.nullable(id),
  /** Its title here; empty: the product's own. */
  title: v.pipe(v.string(), v.maxLength(80, 'Use at most 80 characters.')),
  /** A short text for this place; empty: the product's own. */
  text: v.pipe(v.string(), v.maxLength(300, 'Use at most 300 characters.')),
  /** Its picture here; null: the product's own. */
  coverId: v.nullable(id),
  /** The words beside the tick; empty: made from the title. */
  tick: v.pipe(v.string(), v.maxLength(80, 'Use at most 80 characters.')),
})

/** What a checkout page shows. A page that nobody has shaped shows everything, in the product's own order. */
export const pageContentSchema = v.object({
  /** The offers that are shown, in this order; null: all that are on sale, as the product lists them. */
  offers: v.nullable(v.pipe(v.array(id), v.maxLength(50))),
  /** The offer that is chosen beforehand; null: the first that its visitor may buy. */
  chosen: v.nullable(id),
  /** What can be ticked to be ordered too, in this order. */
  bumps: v.pipe(v.array(bumpSchema), v.maxLength(MAX_BUMPS, `A page has at most ${MAX_BUMPS} order bumps.`)),
})
export type PageContent = v.InferOutput<typeof pageContentSchema>
export type Bump = PageContent['bumps'][number]

/** The everyday page of a product, which nobody has to shape. */
export const EVERYDAY_PAGE: PageContent = { offers: null, chosen: null, bumps: [] }

/** What can be chosen for an order bump: an offer, and the product that it sells. */
export interface BumpOffer {
  id: string
  productId: string
  /** Published, on sale, and its product too. */
  isOnSale: boolean
  /** Its buyers name the price: there is no place for that beside a tick. */
  namesPrice: boolean
}

/** What stops a page from being published: the field, and a sentence for it. */
export interface PageProblem {
  at: string
  why: string
}

/** Everything that stops a page of a product from being published, in the order of its fields. */
export function pageProblems(
  { bumps }: PageContent,
  { productId, offers }: { productId: string; offers: readonly BumpOffer[] },
): PageProblem[] {
  return bumps.flatMap(({ offerId }, index): PageProblem[] => {
    const at = `/bumps/${index}/offerId`
    const offer = offers.find((one) => one.id === offerId)
    if (offerId === null) return [{ at, why: `Choose what order bump ${index + 1} offers.` }]
    if (!offer) return [{ at, why: `What order bump ${index + 1} offers does not exist any more.` }]
    if (!offer.isOnSale) return [{ at, why: `What order bump ${index + 1} offers is not on sale.` }]
    if (offer.productId === productId)
      return [{ at, why: `Order bump ${index + 1} offers what the page sells already.` }]
    if (bumps.findIndex((other) => other.offerId === offerId) < index) {
      return [{ at, why: `Order bump ${index + 1} offers the same as another one.` }]
    }
    return []
  })
}

/** The offers of a product as its page shows them; one that was opened by its own link is always among them. */
export function shownOn<T extends { id: string }>(
  { offers: shown }: PageContent,
  offers: readonly T[],
  linked?: string,
): T[] {
  if (shown === null) return [...offers]
  const named = shown.flatMap((name) => offers.find((offer) => offer.id === name) ?? [])
  const own = offers.find((offer) => offer.id === linked)
  return own && !named.includes(own) ? [...named, own] : named
}
