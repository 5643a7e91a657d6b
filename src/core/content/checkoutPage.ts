/** What a checkout page shows of its product. A page that nobody has shaped shows everything, in the product's own order. */
export interface PageContent {
  /** The offers that are shown, in this order; null: all that are on sale, as the product lists them. */
  offers: string[] | null
  /** The offer that is chosen beforehand; null: the first that its visitor may buy. */
  chosen: string | null
}

/** The everyday page of a product, which nobody has to shape. */
export const EVERYDAY_PAGE: PageContent = { offers: null, chosen: null }

/** The offers of a product as its page shows them; one that was opened by its own link is always among them. */
export function shownOn<T extends { id: string }>(
  { offers: shown }: PageContent,
  offers: readonly T[],
  linked?: string,
): T[] {
  if (shown === null) return [...offers]
  const named = shown.flatMap((id) => offers.find((offer) => offer.id === id) ?? [])
  const own = offers.find(({ id }) => id === linked)
  return own && !named.includes(own) ? [...named, own] : named
}
