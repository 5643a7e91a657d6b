import { and, asc, eq, isNotNull, isNull } from 'drizzle-orm'
import type { PageFacts } from '../../core/checkoutPages/facts.ts'
import type { PageState } from '../../core/checkoutPages/states.ts'
import type { PageContent } from '../../core/content/checkoutPage.ts'
import { newOffer, quotableSale } from '../../core/content/offer.ts'
import { describeOffer } from '../../core/content/quoteInput.ts'
import { formatWholePrice, todayInParts } from '../../core/sentence/sentence.ts'
import { BASKET } from '../../core/words/en/basket.ts'
import { NOTICE } from '../../core/words/en/notice.ts'
import type { LivePage } from '../catalogue/pages.ts'
import { productOnBench, type SellableProduct, sellableProducts } from '../catalogue/sellable.ts'
import { quoteKnownCode } from '../checkout/pageQuote.ts'
import { catalogue, coupons } from '../db/schema/index.ts'
import { findDrafted } from '../drafts/drafts.ts'
import type { Services } from '../platform/context.ts'
import type { School } from '../school/service.ts'
import type { Visitor } from '../session/visitor.ts'
import { bundledIn } from './bundled.ts'
import { pageEnded, productFacts, productPage } from './checkout.ts'
import { goneOrMissing, notice } from './notices.ts'
import type { CheckoutView, NoticeView, ShopOffer } from './views.ts'

/** A made-up buyer, whom the page would know. */
const KNOWN = { name: 'Clara Lindqvist', email: 'clara@example.org' }

/** A page as it stands on the bench, in one state, and who looks at it there. */
export interface PageInState {
  view: CheckoutView | NoticeView
  visitor: { name: string; email: string } | null
  /** What a page shows that has no form, as it has nothing that can be ordered. */
  withoutForm?: PageFacts
  /** Something can be ordered on it: what it sells is live, and on sale. */
  isSelling: boolean
}

/**
 * A page's draft as buyers would see it in a state. The view is the shop's own; only what the state says is put into it,
 * and nothing is stored.
 * @throws Problem 404.
 */
export async function pageInState(
  services: Services,
  school: School,
  { id, content, state, mode }: { id: string; content: PageContent; state: PageState; mode: Visitor['mode'] },
): Promise<PageInState> {
  const { slug, productId, liveVersion } = await findDrafted(services.db, 'page', id)
  const page: LivePage = { id, productId, slug, version: liveVersion, live: content, isRetired: false }
  const visitor: Visitor = { mode, person: null, browserHash: null }
  const at = state === 'saleOver' ? await afterSales(services, page) : services
  const found = await shownProduct(services, page)
  if (!found) {
    const where = eq(catalogue.id, productId ?? page.id)
    const nothing =
      productId === null ? notice(200, NOTICE.basketEmpty, []) : await goneOrMissing(services, where, visitor)
    return { view: nothing, visitor: null, isSelling: false }
  }
  const { product, isOnSale } = found
  if (state === 'pageOver') return { view: pageEnded(page, product), visitor: null, isSelling: isOnSale }
  const view = await viewOf(at, school, page, product, visitor)
  if (view.name !== 'checkout') {
    const bundled = (await bundledIn(services, school, [product]))(product, [])
    const withoutForm = await productFacts(at, school, { page, product, offers: [], ...bundled })
    return { view, visitor: null, withoutForm, isSelling: false }
  }
  const seen = await put(services, school, page, view, state, visitor)
  return { view: seen, visitor: state === 'known' ? KNOWN : null, isSelling: isOnSale }
}

/** What a page sells; that of the basket is shown with the first thing that the school sells. */
async function shownProduct({ db }: Services, { productId }: LivePage): ReturnType<typeof productOnBench> {
  if (productId !== null) return productOnBench(db, productId)
  const products = await sellableProducts(db)
  const product = products.find(({ offers }) => offers.length > 0)
  return product ? { product, isOnSale: true } : null
}

async function viewOf(
  services: Services,
  school: School,
  page: LivePage,
  product: SellableProduct,
  visitor: Visitor,
): Promise<CheckoutView | NoticeView> {
  const view = await productPage(services, school, page, product, visitor)
  if (page.productId !== null || view.name !== 'checkout') return view
  const others = (await sellableProducts(services.db)).filter(({ id }) => id !== product.id)
  const titles = [product, ...others].slice(0, 2).map(({ live }) => live.title)
  const { facts } = view.page
  const inBasket = { ...facts.product, title: BASKET.title, summary: titles.join(', ') }
  return {
    ...{ ...view, slug: 'basket', isBasket: true, heading: BASKET.title },
    page: { ...view.page, facts: { ...facts, product: inBasket, titles, titlesOf: 'basket' } },
  }
}

async function put(
  services: Services,
  school: School,
  page: LivePage,
  view: CheckoutView,
  state: PageState,
  visitor: Visitor,
): Promise<CheckoutView> {
  switch (state) {
    case 'owned':
      return { ...view, isOwned: true }
    case 'declined':
      return { ...view, declined: 'not-enough-money' }
    case 'free':
      return { ...view, ...freely(view.offers, school, services.now()), codes: [], answered: null }
    case 'code': {
      const own = page.live.code
      const tried = own === '' ? await usableCodes(services) : [own]
      for (const code of tried) {
        const answered = await quoteKnownCode(services, code, view.chosen, visitor)
        if (own !== '' || answered?.codes.some(({ counts }) => counts)) return { ...view, codes: [code], answered }
      }
      return view
    }
    case 'noMethod':
      return { ...view, paymentMethods: [] }
    default:
      return view
  }
}

/** The free offer that is there already, else the first one as if it cost nothing. */
function freely(offers: readonly ShopOffer[], school: School, at: Date): { offers: ShopOffer[]; chosen: string } {
  const free = offers.find(({ terms }) => terms.kind === 'free')
  const [first] = offers
  if (free || !first) return { offers: [...offers], chosen: free?.id ?? '' }
  const said = describeOffer(
    school,
    {
      id: first.id,
      courses: [{ id: first.id }],
      content: { ...newOffer(first.name), terms: { kind: 'free' } },
    },
    at.toISOString(),
  )
  if (!said) return { offers: [...offers], chosen: first.id }
  const { terms, access } = said.priced
  const price = formatWholePrice(said.priced)
  const freed = { ...first, terms, access, quote: said.quote, price, today: todayInParts(said.priced), sale: null }
  return { offers: [freed, ...offers.slice(1)], chosen: first.id }
}

/** The services as they will be once every sale of what a page sells is over. */
async function afterSales(services: Services, { productId }: LivePage): Promise<Services> {
  const products = await sellableProducts(services.db, productId === null ? {} : { productId })
  const ends = products
    .flatMap(({ offers }) => offers)
    .flatMap(({ live }) => quotableSale(live.sale, live.terms)?.until ?? [])
    .map((until) => Date.parse(until))
  const last = Math.max(services.now().getTime(), ...ends.map((end) => end + 60_000))
  return { ...services, now: () => new Date(last) }
}

/** So many codes are tried at most, for a page that has none of its own. */
const MAX_TRIED = 20

/** Published codes with which a page can be shown that has none of its own. */
async function usableCodes({ db, now }: Services): Promise<string[]> {
  const rows = await db
    .select({ live: coupons.live })
    .from(coupons)
    .where(and(isNotNull(coupons.live), isNull(coupons.endedAt), isNull(coupons.retiredAt)))
    .orderBy(asc(coupons.createdAt))
  const isOn = (until: string | null) => until === null || Date.parse(until) > now().getTime()
  return rows
    .flatMap(({ live }) => (live && !live.isSet && live.code !== '' && isOn(live.until) ? [live.code] : []))
    .slice(0, MAX_TRIED)
}
