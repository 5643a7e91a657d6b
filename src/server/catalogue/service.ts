import { and, asc, desc, eq, inArray, isNotNull, isNull, max, sql } from 'drizzle-orm'
import type { BundleContent } from '../../core/content/bundle.ts'
import { COVER_COLORS, type CourseContent, type CoverColor } from '../../core/content/course.ts'
import { isSame } from '../../core/content/isSame.ts'
import { formatList } from '../../core/sentence/words.ts'
import { type Queryable, type Transaction, transaction } from '../db/client.ts'
import type { Mode } from '../db/schema/columns.ts'
import { catalogue, courses, grants, lineCourses, offers, productCourses, products } from '../db/schema/index.ts'
import { findDrafted, holdDraft, makeLive, saveDraft } from '../drafts/drafts.ts'
import { notFound, Problem } from '../http/problem.ts'
import { inTransaction, type Services, type Within } from '../platform/context.ts'
import { onceInTransaction } from '../platform/keyedRequest.ts'
import { bundlesWith, daysOf, followShelf, leaveBundles, opensWith } from './growth.ts'
import { makeEverydayPage, moveEverydayPage } from './pages.ts'
import type { Product } from './products.ts'
import { cleanRichText } from './richText.ts'
import { freeSlug } from './slug.ts'

export type Course = typeof courses.$inferSelect

/** Every course and every bundle with its offers, in the creator's order, courses first. */
export async function listShelf({ db }: Services) {
  const [all, allOffers] = await Promise.all([
    db.select().from(catalogue).orderBy(desc(catalogue.kind), asc(catalogue.position), asc(catalogue.createdAt)),
    db
      .select()
      .from(offers)
      .where(eq(offers.isTestPurchase, false))
      .orderBy(asc(offers.position), asc(offers.createdAt)),
  ])
  return all.map((product) => ({
    id: product.id,
    kind: product.kind,
    slug: product.slug,
    title: product.draft.title,
    /** Of a course, its opening day as its draft has it. */
    opens: 'lessons' in product.draft ? product.draft.opens : null,
    coverColor: product.draft.coverColor,
    /** Of a bundle, the colours of its courses as its draft has them. */
    colors: 'includesAll' in product.draft ? colorsOf(product.draft, all) : [product.draft.coverColor],
    /** Of a bundle, its courses as its draft has them. */
    courseIds: 'includesAll' in product.draft ? coursesIn(product.draft, all).map(({ id }) => id) : [],
    isLive: product.live !== null,
    isChanged: isChanged(product),
    isRetired: product.retiredAt !== null,
    offers: allOffers
      .filter((offer) => offer.productId === product.id)
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

/** The courses that a bundle's draft holds. */
function coursesIn({ includesAll, courses: held }: BundleContent, all: readonly Product[]): Product[] {
  const wanted = new Set(held.map(({ id }) => id))
  return all.filter(
    ({ id, kind, live, retiredAt }) =>
      kind === 'course' && (includesAll ? live !== null && retiredAt === null : wanted.has(id)),
  )
}

function colorsOf(bundle: BundleContent, all: readonly Product[]): CoverColor[] {
  return coursesIn(bundle, all).map(({ draft }) => draft.coverColor)
}

/** Whether a draft says something else than what is live. */
function isChanged({ live, draft }: { live: unknown; draft: unknown }): boolean {
  return live !== null && !isSame(live, draft)
}

/** @throws Problem 404. */
export const getCourse = (db: Queryable, id: string): Promise<Course> => findDrafted(db, 'course', id)

/**
 * One course as the bench shows it: with whether it was ever sold, which decides what can be done, and the bundles in
 * which it is, or would be with its publishing.
 */
export async function openCourse(services: Services, id: string) {
  const { db } = services
  const course = await getCourse(db, id)
  const [sold, inBundles, opensFor] = await Promise.all([
    wasSold(db, id),
    bundlesWith(db, id),
    course.live === null && course.retiredAt === null ? opensWith(services) : [],
  ])
  return { ...course, wasSold: sold, inBundles, opensFor, waiting: await waitingFor(services, id) }
}

/** How many people have a course that opens for them with its own day, and is not open yet, by mode. */
async function waitingFor(services: Services, courseId: string): Promise<Record<Mode, number>> {
  const days = await daysOf(services)
  const day = sql`(case ${grants.mode} when 'live' then ${days.live}::date else ${days.practice}::date end)`
  const rows = await services.db
    .select({ mode: grants.mode, people: sql<number>`count(distinct ${grants.personId})::int` })
    .from(grants)
    .where(
      and(
        eq(grants.courseId, courseId),
        isNull(grants.endedAt),
        isNotNull(grants.ownOpens),
        sql`${grants.opens} > ${day}`,
      ),
    )
    .groupBy(grants.mode)
  const of = (mode: Mode) => rows.find((row) => row.mode === mode)?.people ?? 0
  return { live: of('live'), practice: of('practice') }
}

export async function createCourse({ db, now }: Services, title: string): Promise<{ id: string }> {
  return transaction(db, async (tx) => {
    const position = await nextPosition(tx)
    const draft: CourseContent = {
      title,
      summary: '',
      description: '',
      coverColor: COVER_COLORS[position % COVER_COLORS.length] ?? 'spruce',
      coverId: null,
      lessons: [],
      opens: null,
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
  return transaction(db, async (tx) => {
    const current = await getCourse(tx, id)
    const keepsSlug = current.live !== null || current.draft.title === draft.title
    const slug = keepsSlug ? current.slug : await freeSlug(tx, draft.title, id)
    const saved = await saveDraft(tx, 'course', id, { baseRev, draft, at: now(), also: { slug } })
    if (slug !== current.slug) await moveEverydayPage(tx, id, slug)
    return saved
  })
}

/** Makes the draft of revision `rev` what buyers see. A new one joins the bundles that hold all courses. */
export async function publishCourse(
  services: Services,
  id: string,
  rev: number,
  creatorId: string | null,
): Promise<void> {
  await onceInTransaction(services, async (within) => {
    const course = await holdDraft(within.db, 'course', id, rev)
    await makeCourseLive(within, course, creatorId)
  })
}

/** Publishes a course, locked by the caller, as its draft has it. */
export async function makeCourseLive(
  within: Within,
  course: Pick<Course, 'id' | 'liveVersion' | 'live' | 'draft'>,
  by: string | null,
): Promise<void> {
  await makeLive(within.db, 'course', course, { live: course.draft, at: within.now(), by })
  if (!course.live) await followShelf(within)
}

/** A copy of a course and its offers, all as drafts. */
export async function duplicateCourse({ db, now }: Services, id: string): Promise<{ id: string }> {
  return transaction(db, async (tx) => {
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
  await transaction(db, async (tx) => {
    const known = await tx.select({ id: courses.id }).from(courses).where(inArray(courses.id, ids))
    if (known.length !== ids.length) throw notFound('course')
    for (const [position, id] of ids.entries()) await tx.update(courses).set({ position }).where(eq(courses.id, id))
  })
}

/** What becomes of a course in bundles when it is retired: it goes on opening with them, or is taken out for new buyers. */
export type InBundles = 'keep' | 'take-out'

/**
 * Takes a course off the shelf, or puts it back.
 * @throws Problem 409 `in-bundles` where it is in a bundle and nothing is said of that; a bundle of all courses does not
 * ask.
 */
export async function setCourseRetired(
  services: Services,
  id: string,
  isRetired: boolean,
  inBundles: InBundles | null = null,
): Promise<void> {
  await inTransaction(services, async (within) => {
    const { db: tx, now } = within
    await getCourse(tx, id)
    if (isRetired) await leaveBundles(within, id, inBundles)
    await tx
      .update(courses)
      .set({ retiredAt: isRetired ? now() : null })
      .where(eq(courses.id, id))
    await followShelf(within)
  })
}

/** @throws Problem 409 where it was sold or given, or is in a bundle: those are retired, never deleted. */
export async function deleteCourse({ db }: Services, id: string): Promise<void> {
  await getCourse(db, id)
  if (await wasSold(db, id)) {
    throw new Problem(
      409,
      'was-sold',
      'This course was sold or given to someone. Retire it instead: it is no longer sold, and people who have it keep it.',
    )
  }
  const held = await bundlesWith(db, id)
  if (held.length > 0) {
    const titles = formatList(held.map(({ title }) => `“${title}”`))
    throw new Problem(409, 'in-bundles', `This course is in ${titles}. Take it out first.`)
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
