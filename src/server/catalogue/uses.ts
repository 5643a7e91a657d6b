import { and, eq, isNull, ne, sql } from 'drizzle-orm'
import * as v from 'valibot'
import type { Queryable } from '../db/client.ts'
import { catalogue, checkoutPages, coupons, offers, productCourses } from '../db/schema/index.ts'
import type { Services } from '../platform/context.ts'
import { openFront } from './front.ts'

const id = v.pipe(v.string(), v.uuid('There is no such thing.'))
/** A product with all its offers, one offer, or a checkout page. */
export const usesQuery = v.union([v.object({ product: id }), v.object({ offer: id }), v.object({ page: id })])

/** A place where something that is sold is used, besides its own page and the bundles that hold it. */
export interface Use {
  what:
    | 'bump'
    | 'upsell'
    | 'page'
    | 'coupon'
    | 'audience'
    | 'front'
    | 'main'
    | 'leads-here'
    /** Of the last offer of a product: the product itself, its pages, the bundles that hold it. */
    | 'last-offer'
    | 'sells-nothing'
    | 'bundle'
  /** The page or its product, the coupon's code, the offer, or the section of the shop. */
  title: string
  /** Where it is on the bench. */
  path: string
}

/** Every place, draft or live, that a product or an offer is used in: read before it is retired (selling rules, section 8). */
export async function usesOf(services: Services, of: v.InferOutput<typeof usesQuery>): Promise<Use[]> {
  const { db } = services
  if ('page' in of) return usesOfPage(db, of.page)
  const last = 'offer' in of ? await productSoldBy(db, of.offer) : null
  const productId = 'product' in of ? of.product : last
  const [pages, saved, others, front] = await Promise.all([
    db
      .select({ page: checkoutPages, product: catalogue.draft })
      .from(checkoutPages)
      .leftJoin(catalogue, eq(catalogue.id, checkoutPages.productId))
      .where(
        and(
          isNull(catalogue.retiredAt),
          'product' in of ? sql`${checkoutPages.productId} is distinct from ${of.product}` : undefined,
        ),
      )
      .orderBy(checkoutPages.createdAt),
    db.select().from(coupons).where(isNull(coupons.retiredAt)).orderBy(coupons.createdAt),
    db
      .select({ offer: offers, product: catalogue.draft })
      .from(offers)
      .innerJoin(catalogue, eq(catalogue.id, offers.productId))
      .where(and(isNull(offers.retiredAt), isNull(catalogue.retiredAt)))
      .orderBy(offers.createdAt),
    openFront(services),
  ])
  const own = new Set(
    'offer' in of
      ? [of.offer]
      : (await db.select({ id: offers.id }).from(offers).where(eq(offers.productId, of.product))).map((row) => row.id),
  )
  const isOwn = (offerId: string | null) => offerId !== null && own.has(offerId)
  const uses: Use[] = last === null ? [] : await usesOfLastOffer(db, last)
  for (const { page, product } of pages) {
    // Of a product's last offer: its page for every day is said with the product.
    if (last !== null && page.productId === last && page.isEveryday) continue
    const states = [page.live, page.draft].flatMap((content) => content ?? [])
    const place = { title: page.draft.name || (product?.title ?? 'The basket'), path: `/studio/sell/pages/${page.id}` }
    if (states.some(({ bumps }) => bumps.some(({ offerId }) => isOwn(offerId)))) uses.push({ what: 'bump', ...place })
    if (states.some(({ upsells }) => upsells.some(({ offerId }) => isOwn(offerId))))
      uses.push({ what: 'upsell', ...place })
    if (last !== null && page.productId === last) uses.push({ what: 'sells-nothing', ...place })
    else if (states.some((content) => isOwn(content.chosen) || content.offers?.some(isOwn)))
      uses.push({ what: 'page', ...place })
  }
  for (const { id, live, draft } of saved) {
    const states = [live, draft].flatMap((content) => content?.appliesTo ?? [])
    const isUsed = states.some((to) => to.offers.some(isOwn) || (productId !== null && to.products.includes(productId)))
    if (isUsed) uses.push({ what: 'coupon', title: draft.code, path: `/studio/sell/coupons/${id}` })
  }
  if (productId === null) return uses
  for (const { offer, product } of others) {
    const isFor = [offer.live, offer.draft].some(
      (content) => content?.audience.who === 'holders' && content.audience.of.includes(productId),
    )
    if (isFor && !isOwn(offer.id)) {
      const title = [product.title, offer.draft.name].filter(Boolean).join(', ')
      uses.push({ what: 'audience', title, path: `/studio/sell/offers/${offer.id}` })
    }
  }
  const sections = [...(front.live?.sections ?? []), ...front.draft.sections].filter(({ products }) =>
    products.includes(productId),
  )
  for (const title of new Set(sections.map((section) => section.title)))
    uses.push({ what: 'front', title, path: '/studio/sell/front' })
  return uses
}

/** The product of which an offer is the only one on sale; null where there are others, or this one is not on sale. */
async function productSoldBy(db: Queryable, offerId: string): Promise<string | null> {
  const onSale = and(offers.onSale, isNull(offers.retiredAt), eq(offers.isTestPurchase, false))
  const [offer] = await db
    .select({ productId: offers.productId })
    .from(offers)
    .where(and(eq(offers.id, offerId), onSale))
  if (!offer) return null
  const others = await db.$count(offers, and(eq(offers.productId, offer.productId), ne(offers.id, offerId), onSale))
  return others === 0 ? offer.productId : null
}

/** What is no longer sold without its last offer: the product, and the bundles whose price is held against its own. */
async function usesOfLastOffer(db: Queryable, productId: string): Promise<Use[]> {
  const [[product], bundles] = await Promise.all([
    db
      .select({ id: catalogue.id, kind: catalogue.kind, draft: catalogue.draft })
      .from(catalogue)
      .where(eq(catalogue.id, productId)),
    db
      .select({ id: catalogue.id, draft: catalogue.draft })
      .from(productCourses)
      .innerJoin(catalogue, eq(catalogue.id, productCourses.productId))
      .where(
        and(
          eq(productCourses.courseId, productId),
          ne(productCourses.productId, productId),
          isNull(catalogue.retiredAt),
        ),
      )
      .orderBy(catalogue.createdAt),
  ])
  const own: Use[] = product
    ? [{ what: 'last-offer', title: product.draft.title, path: `/studio/sell/${product.kind}s/${product.id}` }]
    : []
  const held = bundles.map(
    ({ id, draft }): Use => ({ what: 'bundle', title: draft.title, path: `/studio/sell/bundles/${id}` }),
  )
  return [...own, ...held]
}

/** What leads to a page: the buttons that sell its product, and other pages once they have ended. */
async function usesOfPage(db: Queryable, pageId: string): Promise<Use[]> {
  const pages = await db
    .select({ page: checkoutPages, product: catalogue.draft })
    .from(checkoutPages)
    .leftJoin(catalogue, eq(catalogue.id, checkoutPages.productId))
    .where(isNull(checkoutPages.retiredAt))
    .orderBy(checkoutPages.createdAt)
  return pages.flatMap(({ page, product }): Use[] => {
    const title = page.draft.name || (product?.title ?? 'The basket')
    const path = `/studio/sell/pages/${page.id}`
    if (page.id === pageId) return page.isMain ? [{ what: 'main', title: product?.title ?? title, path }] : []
    const leads = [page.draft, page.live].some((content) => content?.ends?.leadsTo === pageId)
    return leads ? [{ what: 'leads-here', title, path }] : []
  })
}
