import { eq } from 'drizzle-orm'
import { fittingAccess } from '../../core/content/offer.ts'
import { formatTitles } from '../../core/sentence/words.ts'
import { BASKET } from '../../core/words/en/basket.ts'
import { NOTICE } from '../../core/words/en/notice.ts'
import { say } from '../../core/words/message.ts'
import { findBasket } from '../baskets/basket.ts'
import { showBasket } from '../baskets/shown.ts'
import { cardOf } from '../catalogue/cards.ts'
import type { LivePage } from '../catalogue/pages.ts'
import { sellableProducts } from '../catalogue/sellable.ts'
import { orders } from '../db/schema/index.ts'
import { shownPaymentMethods } from '../gateways/shownMethods.ts'
import type { Services } from '../platform/context.ts'
import type { School } from '../school/service.ts'
import type { Visitor } from '../session/visitor.ts'
import { bumpsOn } from './additions.ts'
import { factsOf } from './pageFacts.ts'
import { pendingOrder } from './pending.ts'
import { offersOf } from './shopOffers.ts'
import type { ShopView } from './views.ts'

/** What a checkout page is asked for by its address. */
export interface CheckoutQuery {
  /** The order from whose gateway the buyer comes back. */
  cameBackFrom?: string | undefined
  /** The offer that the address names. */
  offerId?: string | undefined
  code?: string | undefined
  /** Of a basket: offers that are paid for apart. */
  without?: readonly string[]
  /** What the address says of the visitor, and of where they came from. */
  name?: string | undefined
  email?: string | undefined
  from?: string | undefined
}

/**
 * The checkout of a basket: the same page, on which its first thing stands as a product's would and the others beside it.
 * What cannot be ordered stays in the basket.
 */
export async function basketCheckoutView(
  services: Services,
  school: School,
  page: LivePage,
  visitor: Visitor,
  query: CheckoutQuery,
): Promise<ShopView> {
  const { cameBackFrom, code, without = [] } = query
  const [{ orderable: all, overlaps, lines: shown }, basket] = await Promise.all([
    showBasket(services, school, visitor),
    findBasket(services, visitor),
  ])
  const pending = basket
    ? await pendingOrder(services, eq(orders.fromBasketId, basket.id), visitor, cameBackFrom)
    : null
  const asked = all.filter(({ row }) => !without.includes(row.offerId))
  const orderable = asked.length > 0 ? asked : all
  const [first, ...others] = orderable
  const toShop = [{ label: BASKET.toShop, href: '/' }]
  if (!first) {
    return {
      name: 'notice',
      status: 200,
      title: NOTICE.basketEmpty.title,
      text: NOTICE.basketEmpty.text,
      actions: toShop,
    }
  }
  const { line, row } = first
  const [product] = await sellableProducts(services.db, { productId: line.product.id })
  const offer =
    product && (await offersOf(services, school, product, visitor, [row.offerId])).find(({ id }) => id === row.offerId)
  if (!product || !offer) return { name: 'notice', status: 410, ...NOTICE.basketEmpty, actions: toShop }
  const inIt = new Set(all.map((one) => one.row.productId))
  const ordered = orderable.flatMap((one) => one.line.courses)
  const bumps = await bumpsOn(services, school, page.live, visitor, ordered)
  const productsOf = new Map(
    (await sellableProducts(services.db)).flatMap(({ id, offers }) => offers.map((one) => [one.id, id] as const)),
  )
  const leftOut = all.filter((one) => !orderable.includes(one)).map((one) => one.line.product.title)
  const titles = orderable.map((one) => one.line.product.title)
  const stopped = shown.filter(({ problem, isTakenOut }) => problem && !isTakenOut).map(({ card }) => card.title)
  const { title } = product.live
  const summary = formatTitles(titles)
  return {
    name: 'checkout',
    slug: 'basket',
    isBasket: true,
    heading: BASKET.title,
    product: { ...cardOf(product), title, summary },
    also: others.map(({ line: other, row: { chosen }, quoted, price, opening }) => ({
      id: other.offer.id,
      offerId: other.offer.id,
      title: other.product.title,
      text: '',
      coverId: null,
      coverColor: other.product.live.coverColor,
      product: other.product.title,
      price,
      inShop: null,
      tax: null,
      opens: '',
      access: fittingAccess(other.offer.live.access, other.offer.live.terms),
      opening,
      quote: quoted.quote,
      warning: null,
      chosen,
    })),
    warnings: [
      ...orderable.flatMap(({ warnings, line: { product: of } }) =>
        warnings.map((warning) => (orderable.length > 1 ? `${of.title}: ${warning}` : warning)),
      ),
      ...(stopped.length > 0
        ? [say(stopped.length === 1 ? BASKET.notInTotal : BASKET.notInTotalSeveral, { titles: formatTitles(stopped) })]
        : []),
      // Of what is left out nothing is paid for twice here.
      ...(leftOut.length > 0 ? [] : overlaps),
      ...(leftOut.length > 0
        ? [say(leftOut.length === 1 ? BASKET.leftOut : BASKET.leftOutSeveral, { titles: formatTitles(leftOut) })]
        : []),
    ],
    chosenPrice: row.chosen,
    gets: titles,
    saving: null,
    // What is in the basket already is not offered beside it.
    bumps: bumps.filter(({ offerId }) => !inIt.has(productsOf.get(offerId) ?? '')),
    hasUpsells: page.live.upsells.length > 0,
    offers: [offer],
    chosen: offer.id,
    linked: null,
    codes: code ? [code] : [],
    paymentMethods: await shownPaymentMethods(services, visitor.mode, school.currency),
    isOwned: false,
    held: null,
    pending,
    prefill: { name: query.name ?? '', email: query.email ?? '' },
    from: query.from ?? '',
    answered: null,
    declined: null,
    page: {
      shaped: page.live,
      facts: await factsOf(services, school, {
        ...{ page, offers: [], titles, saving: null },
        product: { ...product, live: { ...product.live, title: BASKET.title, summary } },
        titlesOf: 'basket',
        about: { label: BASKET.back, href: '/basket' },
      }),
    },
  }
}
