/**
 * What a buyer typed and chose at a checkout, kept in this tab so that it stands there again after a reload, or when they
 * come back from a gateway's page.
 */
export interface Basket {
  name: string
  email: string
  /** The offer that the address named when the page was opened: a link names one once, then what was chosen counts. */
  linked: string | null
  offerId: string
  /** Their own price, as typed; null before they typed one. */
  ownPrice: string | null
  connectionId: string | null
  /** Codes as they were entered. */
  codes: string[]
  /** The order bumps that were ticked. */
  ticked: readonly string[]
}

const keyOf = (slug: string) => `acorn-basket ${slug}`
const WHO = 'acorn-buyer'

export function saveBasket(slug: string, basket: Basket): void {
  sessionStorage.setItem(keyOf(slug), JSON.stringify(basket))
  sessionStorage.setItem(WHO, JSON.stringify({ name: basket.name, email: basket.email }))
}

/** What was kept for a course; who the buyer is, also from the checkout of another. */
export function readBasket(slug: string): Partial<Basket> {
  return { ...read(WHO), ...read(keyOf(slug)) }
}

function read(key: string): Partial<Basket> {
  const saved = sessionStorage.getItem(key)
  return saved ? (JSON.parse(saved) as Partial<Basket>) : {}
}
