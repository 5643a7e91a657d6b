import { and, eq, inArray } from 'drizzle-orm'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { dayIn, parseInstant } from '../../core/calendar/instant.ts'
import type { PageFacts } from '../../core/checkoutPages/facts.ts'
import { isOver, shownOn } from '../../core/content/checkoutPage.ts'
import { lessonTitle } from '../../core/content/course.ts'
import { accessProblem } from '../../core/content/endsOn.ts'
import { CHECKOUT } from '../../core/words/en/checkout.ts'
import { NOTICE } from '../../core/words/en/notice.ts'
import { say } from '../../core/words/message.ts'
import { cardOf } from '../catalogue/cards.ts'
import { findLivePage, type LivePage, livePageById } from '../catalogue/pages.ts'
import { type LineCourse, type SellableProduct, sellableProducts } from '../catalogue/sellable.ts'
import { beside } from '../checkout/beside.ts'
import { quoteKnownCode } from '../checkout/pageQuote.ts'
import { enterCodes } from '../coupons/entered.ts'
import { catalogue, offers, orderLines, orders } from '../db/schema/index.ts'
import { shownPaymentMethods } from '../gateways/shownMethods.ts'
import { isId } from '../http/isId.ts'
import type { Services } from '../platform/context.ts'
import type { School } from '../school/service.ts'
import type { Visitor } from '../session/visitor.ts'
import { bumpsOn } from './additions.ts'
import { basketCheckoutView, type CheckoutQuery } from './basketCheckout.ts'
import { bundledIn, formatSaving } from './bundled.ts'
import { ALL_COURSES, aboutProduct, filled, goneOrMissing, missing, notice } from './notices.ts'
import { factsOf } from './pageFacts.ts'
import { pendingOrder } from './pending.ts'
import { offersOf } from './shopOffers.ts'
import type { CheckoutView, NoticeView, ShopOffer, ShopView } from './views.ts'

/** What stands at an address: a page that sells, or what there is instead of it. */
type Found = { page: LivePage } | { instead: ShopView }

/**
 * The address at which a visitor finds what they asked for by another one: the page is called otherwise by now, or has
 * ended and leads on. Null where it is this one.
 */
export async function movedTo(services: Services, slug: string, visitor: Visitor, search = ''): Promise<string | null> {
  const found = await findPage(services, slug, visitor)
  if (!('page' in found) || found.page.slug === slug) return null
  return `/buy/${found.page.slug}${search}`
}

/** The checkout page at an address, or to which it leads on, as this visitor sees it. */
export async function checkoutView(
  services: Services,
  school: School,
  slug: string,
  visitor: Visitor,
  query: CheckoutQuery = {},
): Promise<ShopView> {
  const found = await findPage(services, slug, visitor)
  return 'page' in found ? shownPage(services, school, found.page, visitor, query) : found.instead
}

async function findPage(services: Services, slug: string, visitor: Visitor): Promise<Found> {
  const page = await findLivePage(services.db, slug)
  if (!page) return { instead: missing() }
  const hasEnded = isOver(page.live, services.now().toISOString())
  if (!page.isRetired && !hasEnded) return { page }
  // An order that was being paid here when it ended is gone on with.
  if (!page.isRetired && (await pendingOrder(services, eq(orders.pageId, page.id), visitor, undefined)) !== null) {
    return { page }
  }
  const next =
    !page.isRetired && page.live.ends?.leadsTo ? await livePageById(services.db, page.live.ends.leadsTo) : null
  // One that has ended too would lead on and on.
  if (next && !next.isRetired && !isOver(next.live, services.now().toISOString())) return { page: next }
  const [product] = page.productId ? await sellableProducts(services.db, { productId: page.productId }) : []
  if (!product) return { instead: await goneOrMissing(services, eq(catalogue.id, page.productId ?? page.id), visitor) }
  return { instead: pageEnded(page, product) }
}

/** What is said instead of a page that was retired, or has ended. */
export function pageEnded(page: LivePage, product: SellableProduct): NoticeView {
  const named = { page: page.live.name || product.live.title }
  const text = page.isRetired ? filled(NOTICE.pageRetired, named) : filled(NOTICE.pageOver, named)
  return notice(410, text, [aboutProduct(product), ALL_COURSES])
}

/** A checkout page, whatever state it is in, as a visitor would see it. */
async function shownPage(
  services: Services,
  school: School,
  page: LivePage,
  visitor: Visitor,
  query: CheckoutQuery,
): Promise<ShopView> {
  if (page.productId === null) return basketCheckoutView(services, school, page, visitor, query)
  const withTestPurchase = visitor.isCreator === true && query.offerId !== undefined
  const [product] = await sellableProducts(services.db, { productId: page.productId, withTestPurchase })
  if (!product) return goneOrMissing(services, eq(catalogue.id, page.productId), visitor)
  return productPage(services, school, page, product, visitor, query)
}

/** A checkout page with the product that it sells, as a visitor would see it. */
export async function productPage(
  services: Services,
  school: School,
  page: LivePage,
  product: SellableProduct,
  visitor: Visitor,
  query: CheckoutQuery = {},
): Promise<CheckoutView | NoticeView> {
  const { slug } = page
  const { offerId, cameBackFrom } = query
  const offers = shownOn(
    page.live,
    await offersOf(services, school, product, visitor, [offerId, ...(page.live.offers ?? [])]),
    offerId,
  )
  const bundled = (await bundledIn(services, school, [product]))(product, offers)
  const days = 'lessons' in product.live ? [product.live.opens] : bundled.held.map(({ opens }) => opens)
  const ended = endedOffer(services, school, product, offerId, days)
  if (ended) {
    const others = offers.length > 0 ? [{ label: NOTICE.otherPrices, href: `/buy/${slug}` }] : []
    return notice(410, filled(NOTICE.offerEnded, { offer: ended.name, day: formatDay(ended.until, school.language) }), [
      ...others,
      aboutProduct(product),
      ALL_COURSES,
    ])
  }
  // The one that was asked for, else the page's own, else the first that this visitor may buy.
  const mayBuy = ({ needs }: ShopOffer) => needs?.isMet ?? true
  const chosen =
    offers.find(({ id }) => id === offerId) ??
    offers.find((offer) => offer.id === page.live.chosen && mayBuy(offer)) ??
    offers.find(mayBuy) ??
    offers[0]
  if (!chosen) {
    return notice(410, filled(NOTICE.notOnSale, { course: product.live.title }), [aboutProduct(product), ALL_COURSES])
  }
  const opened = 'lessons' in product.live ? [{ id: product.id, title: product.live.title }] : bundled.held
  const { buyable, says } = await beside(services, school, opened, offers, visitor)
  const bumps = await bumpsOn(services, school, page.live, visitor, opened)
  const ofProduct = services.db
    .select({ id: orderLines.orderId })
    .from(orderLines)
    .where(eq(orderLines.productId, product.id))
  const pending = await pendingOrder(services, inArray(orders.id, ofProduct), visitor, cameBackFrom)
  const shownOffers = buyable.length > 0 ? buyable : offers
  const shownChosen = buyable.includes(chosen) ? chosen : (buyable[0] ?? chosen)
  const codes = [query.code, page.live.code].flatMap((code) => code || []).slice(0, 1)
  // What a link says is counted like what is typed; what the creator says is not.
  const entered = query.code ? await enterCodes(services, [query.code], visitor) : null
  const facts = await productFacts(services, school, { page, product, offers: shownOffers, ...bundled })
  return {
    name: 'checkout',
    slug,
    isBasket: false,
    heading: product.live.title,
    also: [],
    warnings: await offerGone(services, product, offers, offerId),
    chosenPrice: null,
    product: cardOf(product),
    gets: facts.titles,
    saving: facts.saving,
    bumps,
    hasUpsells: page.live.upsells.length > 0,
    offers: shownOffers,
    chosen: shownChosen.id,
    linked: offerId ?? null,
    codes,
    paymentMethods: await shownPaymentMethods(services, visitor.mode, school.currency),
    // An order that the page has yet to lead on from, although the gateway's event has opened the course already.
    isOwned: buyable.length === 0 && pending === null,
    held: says,
    pending,
    prefill: { name: query.name ?? '', email: query.email ?? '' },
    from: query.from ?? '',
    answered:
      codes[0] === undefined ? null : await quoteKnownCode(services, codes[0], shownChosen.id, visitor, entered),
    declined: null,
    page: { shaped: page.live, facts },
  }
}

interface ShownProduct {
  page: LivePage
  product: SellableProduct
  offers: readonly ShopOffer[]
  /** The courses of a bundle. */
  held: readonly LineCourse[]
  /** What it saves. */
  saving: Parameters<typeof formatSaving>[0]
}

/** What a page shows of the product that it sells, besides its form. */
export function productFacts(
  services: Services,
  school: School,
  { page, product, offers, held, saving }: ShownProduct,
): Promise<PageFacts> {
  const { live } = product
  return factsOf(services, school, {
    ...{ page, product, offers, saving: formatSaving(saving, school) },
    titles: 'lessons' in live ? live.lessons.map(lessonTitle) : held.map(({ title }) => title),
    titlesOf: product.kind === 'course' ? 'lessons' : 'courses',
    about: aboutProduct(product),
  })
}

/** The offer that a link names, where its access has ended by its own date. */
function endedOffer(
  services: Services,
  school: School,
  { offers: listed }: SellableProduct,
  offerId: string | undefined,
  days: readonly (string | null)[],
): { name: string; until: string } | null {
  const asked = listed.find(({ id }) => id === offerId)
  const at = parseInstant(services.now().toISOString())
  const problem = asked && at ? accessProblem(asked.live.access, dayIn(school.timeZone, at), days) : null
  return asked && problem ? { name: asked.live.name, until: problem.until } : null
}

/** That the offer of a link, which was on sale once, is not any more; the page shows what is. */
async function offerGone(
  { db }: Services,
  { id: productId }: SellableProduct,
  shown: readonly ShopOffer[],
  offerId: string | undefined,
): Promise<string[]> {
  if (!offerId || !isId(offerId) || shown.some(({ id }) => id === offerId)) return []
  const [offer] = await db
    .select({ live: offers.live })
    .from(offers)
    .where(and(eq(offers.id, offerId), eq(offers.productId, productId)))
  // What was never published is nobody's to know.
  return offer?.live ? [say(CHECKOUT.offerGone, { offer: offer.live.name })] : []
}
