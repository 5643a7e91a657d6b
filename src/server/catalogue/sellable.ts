import { and, asc, eq, inArray, isNotNull, isNull } from 'drizzle-orm'
import type { CourseContent } from '../../core/content/course.ts'
import type { OfferContent } from '../../core/content/offer.ts'
import type { Queryable } from '../db/client.ts'
import { courses, offers, productCourses } from '../db/schema/index.ts'

export interface SellableOffer {
  id: string
  productId: string
  version: number
  live: OfferContent
}

export interface SellableCourse {
  id: string
  slug: string
  live: CourseContent
  offers: SellableOffer[]
}

/**
 * What buyers can see: live, not retired courses with the offers that are on sale, in order. `withTestPurchase`: the
 * creator's own real purchase too.
 */
export async function sellableCourses(
  db: Queryable,
  { slug, productId, withTestPurchase = false }: { slug?: string; productId?: string; withTestPurchase?: boolean } = {},
): Promise<SellableCourse[]> {
  const rows = await db
    .select({ course: courses, offer: offers })
    .from(courses)
    .leftJoin(
      offers,
      and(
        eq(offers.productId, courses.id),
        eq(offers.onSale, true),
        isNull(offers.retiredAt),
        isNotNull(offers.live),
        withTestPurchase ? undefined : eq(offers.isTestPurchase, false),
      ),
    )
    .where(
      and(
        isNotNull(courses.live),
        isNull(courses.retiredAt),
        slug === undefined ? undefined : eq(courses.slug, slug),
        productId === undefined ? undefined : eq(courses.id, productId),
      ),
    )
    .orderBy(asc(courses.position), asc(courses.createdAt), asc(offers.position), asc(offers.createdAt))
  const found = new Map<string, SellableCourse>()
  for (const { course, offer } of rows) {
    if (!course.live) continue
    const entry = found.get(course.id) ?? { id: course.id, slug: course.slug, live: course.live, offers: [] }
    found.set(course.id, entry)
    if (offer?.live)
      entry.offers.push({ id: offer.id, productId: course.id, version: offer.liveVersion, live: offer.live })
  }
  return [...found.values()]
}

/** A course that a line opens, as it is called now. */
export interface LineCourse {
  id: string
  title: string
  weight: number
}

/** An offer that can be bought, with the product that it sells. */
export interface SellableLine {
  offer: SellableOffer
  product: { id: string; slug: string; title: string }
  courses: LineCourse[]
}

/** What can be bought of the offers named, by their ids; what is off sale or retired is not in it. */
export async function sellableLines(
  db: Queryable,
  offerIds: readonly string[],
  withTestPurchase = false,
): Promise<Map<string, SellableLine>> {
  const found = new Map<string, SellableLine>()
  if (offerIds.length === 0) return found
  const rows = await db
    .select({ offer: offers, course: courses })
    .from(offers)
    .innerJoin(courses, eq(courses.id, offers.productId))
    .where(
      and(
        inArray(offers.id, [...offerIds]),
        eq(offers.onSale, true),
        isNull(offers.retiredAt),
        isNotNull(courses.live),
        isNull(courses.retiredAt),
        withTestPurchase ? undefined : eq(offers.isTestPurchase, false),
      ),
    )
  const opened = await coursesOfProducts(
    db,
    rows.map(({ course }) => course.id),
  )
  for (const { offer, course } of rows) {
    if (!offer.live || !course.live) continue
    found.set(offer.id, {
      offer: { id: offer.id, productId: offer.productId, version: offer.liveVersion, live: offer.live },
      product: { id: course.id, slug: course.slug, title: course.live.title },
      courses: opened.get(offer.productId) ?? [],
    })
  }
  return found
}

async function coursesOfProducts(db: Queryable, productIds: readonly string[]): Promise<Map<string, LineCourse[]>> {
  const found = new Map<string, LineCourse[]>()
  if (productIds.length === 0) return found
  const rows = await db
    .select({ of: productCourses.productId, weight: productCourses.weight, course: courses })
    .from(productCourses)
    .innerJoin(courses, eq(courses.id, productCourses.courseId))
    .where(inArray(productCourses.productId, [...productIds]))
    .orderBy(asc(productCourses.position))
  for (const { of, weight, course } of rows) {
    const list = found.get(of) ?? []
    found.set(of, list)
    list.push({ id: course.id, title: (course.live ?? course.draft).title, weight })
  }
  return found
}
