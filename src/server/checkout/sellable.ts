import { and, asc, eq, isNotNull, isNull } from 'drizzle-orm'
import type { CourseContent } from '../../core/content/course.ts'
import type { OfferContent } from '../../core/content/offer.ts'
import type { Queryable } from '../db/client.ts'
import { courses, offers } from '../db/schema/index.ts'

export interface SellableOffer {
  id: string
  courseId: string
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
 * What buyers can see: live, not retired courses with the offers that are on sale, in order. `withTrial`: the
 * creator's own real purchase too.
 */
export async function sellableCourses(db: Queryable, slug?: string, withTrial = false): Promise<SellableCourse[]> {
  const rows = await db
    .select({ course: courses, offer: offers })
    .from(courses)
    .leftJoin(
      offers,
      and(
        eq(offers.courseId, courses.id),
        eq(offers.onSale, true),
        isNull(offers.retiredAt),
        isNotNull(offers.live),
        withTrial ? undefined : eq(offers.isTrial, false),
      ),
    )
    .where(
      and(isNotNull(courses.live), isNull(courses.retiredAt), slug === undefined ? undefined : eq(courses.slug, slug)),
    )
    .orderBy(asc(courses.position), asc(courses.createdAt), asc(offers.position), asc(offers.createdAt))
  const found = new Map<string, SellableCourse>()
  for (const { course, offer } of rows) {
    if (!course.live) continue
    const entry = found.get(course.id) ?? { id: course.id, slug: course.slug, live: course.live, offers: [] }
    found.set(course.id, entry)
    if (offer?.live)
      entry.offers.push({ id: offer.id, courseId: course.id, version: offer.liveVersion, live: offer.live })
  }
  return [...found.values()]
}
