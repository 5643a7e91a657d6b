import { and, asc, eq, inArray, max } from 'drizzle-orm'
import { COVER_COLORS, type CourseContent } from '../../core/content/course.ts'
import type { Queryable, Transaction } from '../db/client.ts'
import { courses, grants, lineCourses, offers, productCourses, products } from '../db/schema/index.ts'
import { findDrafted, holdDraft, makeLive, saveDraft } from '../drafts/drafts.ts'
import { notFound, Problem } from '../http/problem.ts'
import type { Services } from '../platform/context.ts'
import { makeEverydayPage, moveEverydayPage } from './pages.ts'
import { cleanRichText } from './richText.ts'
import { freeSlug } from './slug.ts'

export type Course = typeof courses.$inferSelect

/** Every course with its offers, in the creator's order. */
export async function listShelf({ db }: Services) {
  const [allCourses, allOffers] = await Promise.all([
    db.select().from(courses).orderBy(asc(courses.position), asc(courses.createdAt)),
    db
      .select()
      .from(offers)
      .where(eq(offers.isTestPurchase, false))
      .orderBy(asc(offers.position), asc(offers.createdAt)),
  ])
  return allCourses.map((course) => ({
    id: course.id,
    slug: course.slug,
    title: course.draft.title,
    coverColor: course.draft.coverColor,
    lessons: course.draft.lessons.length,
    isLive: course.live !== null,
    isChanged: isChanged(course),
    isRetired: course.retiredAt !== null,
    offers: allOffers
      .filter((offer) => offer.productId === course.id)
      .map((offer) => ({
        id: offer.id,
        name: offer.draft.name,
        content: offer.draft,
        isLive: offer.live !== null,
        isChanged: isChanged(offer),
        onSale: offer.onSale,
        isRetired: offer.retiredAt !== null,
      })),
  }))
}

/** Whether a draft says something else than what is live. */
function isChanged({ live, draft }: { live: unknown; draft: unknown }): boolean {
  return live !== null && JSON.stringify(live) !== JSON.stringify(draft)
}

/** @throws Problem 404. */
export const getCourse = (db: Queryable, id: string): Promise<Course> => findDrafted(db, 'course', id)

/** One course as the bench shows it: with whether it was ever sold, which decides what can be done. */
export async function openCourse({ db }: Services, id: string) {
  const course = await getCourse(db, id)
  return { ...course, wasSold: await wasSold(db, id) }
}

export async function createCourse({ db, now }: Services, title: string): Promise<{ id: string }> {
  return db.transaction(async (tx) => {
    const position = await nextPosition(tx)
    const draft: CourseContent = {
      title,
      summary: '',
      description: '',
      coverColor: COVER_COLORS[position % COVER_COLORS.length] ?? 'spruce',
      coverId: null,
      lessons: [],
    }
    return insertCourse(tx, draft, position, now())
  })
}

async function insertCourse(tx: Transaction, draft: CourseContent, position: number, at: Date) {
  // A course is a product of its own, which opens itself.
  const slug = await freeSlug(tx, draft.title)
  const [product] = await tx.insert(products).values({ kind: 'course', bookName: slug, createdAt: at }).returning()
  const id = product?.id as string
  await tx.insert(courses).values({ id, slug, position, draft, draftAt: at, createdAt: at })
  await makeEverydayPage(tx, id, slug, at)
  await tx.insert(productCourses).values({ productId: id, courseId: id, position: 0, weight: 1 })
  return { id }
}

async function nextPosition(tx: Transaction): Promise<number> {
  const [row] = await tx.select({ last: max(courses.position) }).from(courses)
  return (row?.last ?? -1) + 1
}

/**
 * Saves a draft that was edited from revision `baseRev`. The address follows the title until the
 * course is first published.
 * @throws Problem 409 `changed-elsewhere` with what the other one wrote, where `baseRev` is old.
 */
export async function saveCourseDraft({ db, now }: Services, id: string, baseRev: number, content: CourseContent) {
  const draft: CourseContent = {
    ...content,
    description: cleanRichText(content.description),
    lessons: content.lessons.map((lesson) => ({ ...lesson, body: cleanRichText(lesson.body) })),
  }
  return db.transaction(async (tx) => {
    const current = await getCourse(tx, id)
    const keepsSlug = current.live !== null || current.draft.title === draft.title
    const slug = keepsSlug ? current.slug : await freeSlug(tx, draft.title, id)
    const saved = await saveDraft(tx, 'course', id, { baseRev, draft, at: now(), also: { slug } })
    if (slug !== current.slug) await moveEverydayPage(tx, id, slug)
    return saved
  })
}

/** Makes the draft of revision `rev` what buyers see. */
export async function publishCourse(
  { db, now }: Services,
  id: string,
  rev: number,
  creatorId: string | null,
): Promise<void> {
  await db.transaction(async (tx) => {
    const course = await holdDraft(tx, 'course', id, rev)
    await makeLive(tx, 'course', course, { live: course.draft, at: now(), by: creatorId })
  })
}

/** A copy of a course and its offers, all as drafts. */
export async function duplicateCourse({ db, now }: Services, id: string): Promise<{ id: string }> {
  return db.transaction(async (tx) => {
    const course = await getCourse(tx, id)
    const draft = { ...course.draft, title: `${course.draft.title.slice(0, 113)} (copy)` }
    const made = await insertCourse(tx, draft, await nextPosition(tx), now())
    const itsOffers = await tx
      .select()
      .from(offers)
      .where(and(eq(offers.productId, id), eq(offers.isTestPurchase, false)))
      .orderBy(asc(offers.position))
    for (const offer of itsOffers) {
      await tx.insert(offers).values({
        productId: made.id,
        position: offer.position,
        draft: offer.draft,
        draftAt: now(),
        createdAt: now(),
      })
    }
    return made
  })
}

/** Puts the courses in the order of `ids`; courses not named keep their place behind them. */
export async function reorderCourses({ db }: Services, ids: string[]): Promise<void> {
  await db.transaction(async (tx) => {
    const known = await tx.select({ id: courses.id }).from(courses).where(inArray(courses.id, ids))
    if (known.length !== ids.length) throw notFound('course')
    for (const [position, id] of ids.entries()) await tx.update(courses).set({ position }).where(eq(courses.id, id))
  })
}

export async function setCourseRetired({ db, now }: Services, id: string, isRetired: boolean): Promise<void> {
  await getCourse(db, id)
  await db
    .update(courses)
    .set({ retiredAt: isRetired ? now() : null })
    .where(eq(courses.id, id))
}

/** @throws Problem 409 where it was sold or given: those are retired, never deleted. */
export async function deleteCourse({ db }: Services, id: string): Promise<void> {
  await getCourse(db, id)
  if (await wasSold(db, id)) {
    throw new Problem(
      409,
      'was-sold',
      'This course was sold or given to someone. Retire it instead: it is no longer sold, and people who have it keep it.',
    )
  }
  // With its product go the course and its offers.
  await db.delete(products).where(eq(products.id, id))
}

async function wasSold(db: Queryable, courseId: string): Promise<boolean> {
  const [ordered] = await db
    .select({ id: lineCourses.lineId })
    .from(lineCourses)
    .where(eq(lineCourses.courseId, courseId))
    .limit(1)
  if (ordered) return true
  const [granted] = await db.select({ id: grants.id }).from(grants).where(eq(grants.courseId, courseId)).limit(1)
  return granted !== undefined
}
