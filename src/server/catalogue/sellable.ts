import { and, asc, desc, eq, isNotNull, isNull, sql } from 'drizzle-orm'
import type { Day } from '../../core/calendar/day.ts'
import { type BundleContent, weightOf } from '../../core/content/bundle.ts'
import type { CourseContent, CoverColor } from '../../core/content/course.ts'
import { fittingAccess, type OfferContent } from '../../core/content/offer.ts'
import { includedIn } from '../../core/quote/courseDay.ts'
import type { Queryable } from '../db/client.ts'
import { anyOf, compiled } from '../db/compiled.ts'
import {
  CATALOGUE_COLUMNS,
  catalogue,
  courses,
  offers,
  type PRODUCT_KINDS,
  productCourses,
} from '../db/schema/index.ts'
import { getSchool } from '../school/service.ts'
import { pricesAlone } from './alone.ts'

export interface SellableOffer {
  id: string
  productId: string
  version: number
  live: OfferContent
}

/** A course or a bundle that buyers can see. */
export interface SellableProduct {
  id: string
  kind: (typeof PRODUCT_KINDS)[number]
  slug: string
  /** The address of the checkout page to which its buttons lead. */
  pageSlug: string | null
  live: CourseContent | BundleContent
  offers: SellableOffer[]
}

/**
 * What buyers can see: live, not retired products with the offers that are on sale, in order, courses before bundles.
 * `withTestPurchase`: the creator's own real purchase too.
 */
export async function sellableProducts(
  db: Queryable,
  {
    kind,
    slug,
    productId,
    withTestPurchase = false,
  }: { kind?: SellableProduct['kind']; slug?: string; productId?: string; withTestPurchase?: boolean } = {},
): Promise<SellableProduct[]> {
  const rows = await db
    .select({ product: CATALOGUE_COLUMNS, offer: offers })
    .from(catalogue)
    .leftJoin(
      offers,
      and(
        eq(offers.productId, catalogue.id),
        eq(offers.onSale, true),
        isNull(offers.retiredAt),
        isNotNull(offers.live),
        withTestPurchase ? undefined : eq(offers.isTestPurchase, false),
      ),
    )
    .where(
      and(
        isNotNull(catalogue.live),
        isNull(catalogue.retiredAt),
        kind === undefined ? undefined : eq(catalogue.kind, kind),
        slug === undefined ? undefined : eq(catalogue.slug, slug),
        productId === undefined ? undefined : eq(catalogue.id, productId),
      ),
    )
    .orderBy(
      desc(catalogue.kind),
      asc(catalogue.position),
      asc(catalogue.createdAt),
      asc(offers.position),
      asc(offers.createdAt),
    )
  const found = new Map<string, SellableProduct>()
  for (const { product, offer } of rows) {
    const { id, live } = product
    if (!live) continue
    const entry = found.get(id) ?? {
      id,
      kind: product.kind,
      slug: product.slug,
      pageSlug: product.pageSlug,
      live,
      offers: [],
    }
    found.set(id, entry)
    if (offer?.live) entry.offers.push({ id: offer.id, productId: id, version: offer.liveVersion, live: offer.live })
  }
  return [...found.values()]
}

/**
 * A product as its pages show it on the bench: as buyers see it, and before they see anything of it, as it will be.
 * `isOnSale`: they see it, and an offer of it. Null where it is retired.
 */
export async function productOnBench(
  db: Queryable,
  productId: string,
): Promise<{ product: SellableProduct; isOnSale: boolean } | null> {
  const [sellable] = await sellableProducts(db, { productId })
  if (sellable && sellable.offers.length > 0) return { product: sellable, isOnSale: true }
  const [row] = await db
    .select()
    .from(catalogue)
    .where(and(eq(catalogue.id, productId), isNull(catalogue.retiredAt)))
  if (!row) return null
  const rows = await db
    .select()
    .from(offers)
    .where(and(eq(offers.productId, productId), isNull(offers.retiredAt), eq(offers.isTestPurchase, false)))
    .orderBy(asc(offers.position), asc(offers.createdAt))
  const shown = rows.map(({ id, live, draft, liveVersion }) => ({
    ...{ id, productId, version: liveVersion },
    live: live ?? draft,
  }))
  const { id, kind, slug, pageSlug, live, draft } = row
  return { product: { id, kind, slug, pageSlug, live: live ?? draft, offers: shown }, isOnSale: false }
}

/** A course that a line opens, as it is called now. */
export interface LineCourse {
  id: string
  slug: string
  title: string
  weight: number
  coverColor: CoverColor
  /** The day on which it opens for everybody; null: with the purchase. */
  opens: Day | null
  live: CourseContent
}

/** An offer that can be bought, with the product that it sells. */
export interface SellableLine {
  offer: SellableOffer
  product: { id: string; slug: string; title: string; live: SellableProduct['live'] }
  courses: LineCourse[]
  /** Courses of its product that open when its access has ended, so that it does not open them. */
  notIncluded: LineCourse[]
}

const offersOnSale = compiled<{ ids: readonly string[]; withTestPurchase: boolean }>()((db, given) =>
  db
    .select({ offer: offers, product: CATALOGUE_COLUMNS })
    .from(offers)
    .innerJoin(catalogue, eq(catalogue.id, offers.productId))
    .where(
      and(
        sql`${offers.id} = ${anyOf(given('ids'))}`,
        eq(offers.onSale, true),
        isNull(offers.retiredAt),
        isNotNull(catalogue.live),
        isNull(catalogue.retiredAt),
        sql`(not ${offers.isTestPurchase} or ${given('withTestPurchase')}::boolean)`,
      ),
    ),
)

/** What can be bought at `at` of the offers named, by their ids; what is off sale, retired or opens nothing is not in it. */
export async function sellableLines(
  db: Queryable,
  offerIds: readonly string[],
  at: Date,
  withTestPurchase = false,
): Promise<Map<string, SellableLine>> {
  const found = new Map<string, SellableLine>()
  if (offerIds.length === 0) return found
  const [rows, courseRows] = await Promise.all([
    offersOnSale(db, { ids: offerIds, withTestPurchase }),
    coursesOf(db, { productIds: [], offerIds }),
  ])
  const opened = await weighed(
    db,
    rows.map(({ product }) => product),
    courseRows,
    at,
  )
  for (const { offer, product } of rows) {
    if (!offer.live || !product.live) continue
    const held = opened.get(offer.productId) ?? []
    const included = includedIn(held, fittingAccess(offer.live.access, offer.live.terms))
    // It would open nothing.
    if (included.length === 0 && held.length > 0) continue
    found.set(offer.id, {
      offer: { id: offer.id, productId: offer.productId, version: offer.liveVersion, live: offer.live },
      product: { id: product.id, slug: product.slug, title: product.live.title, live: product.live },
      courses: included,
      notIncluded: held.filter((course) => !included.includes(course)),
    })
  }
  return found
}

const coursesOf = compiled<{ productIds: readonly string[]; offerIds: readonly string[] }>()((db, given) =>
  db
    .select({ of: productCourses.productId, weight: productCourses.weight, course: courses })
    .from(productCourses)
    .innerJoin(courses, eq(courses.id, productCourses.courseId))
    .where(
      sql`${productCourses.productId} = any (array (select unnest(${given('productIds')}::uuid[]) union all
        select ${offers.productId} from ${offers} where ${offers.id} = ${anyOf(given('offerIds'))}))`,
    )
    .orderBy(asc(productCourses.position)),
)

/**
 * The courses that products open, in their order, with what each weighs in them at `at`: its price alone, or the
 * creator's figure (selling rules, section 4).
 */
export async function coursesOfProducts(
  db: Queryable,
  products: readonly Pick<SellableProduct, 'id' | 'kind'>[],
  at: Date,
): Promise<Map<string, LineCourse[]>> {
  if (products.length === 0) return new Map()
  const rows = await coursesOf(db, { productIds: products.map(({ id }) => id), offerIds: [] })
  return weighed(db, products, rows, at)
}

async function weighed(
  db: Queryable,
  products: readonly Pick<SellableProduct, 'id' | 'kind'>[],
  rows: Awaited<ReturnType<typeof coursesOf>>,
  at: Date,
): Promise<Map<string, LineCourse[]>> {
  const found = new Map<string, LineCourse[]>()
  const bundles = new Set(products.flatMap(({ id, kind }) => (kind === 'bundle' ? [id] : [])))
  const inBundles = rows.flatMap(({ of, course }) => (bundles.has(of) ? [course.id] : []))
  const alone = inBundles.length > 0 ? await pricesAlone(db, await getSchool(db), inBundles, at) : new Map()
  for (const { of, weight, course } of rows) {
    const list = found.get(of) ?? []
    found.set(of, list)
    const shown = course.live ?? course.draft
    const weighs = bundles.has(of) ? (weightOf(alone.get(course.id) ?? null, weight) ?? 0) : weight
    list.push({
      id: course.id,
      slug: course.slug,
      title: shown.title,
      weight: weighs,
      coverColor: shown.coverColor,
      opens: shown.opens,
      live: shown,
    })
  }
  return found
}
