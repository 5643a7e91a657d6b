import { asc, eq, inArray, max } from 'drizzle-orm'
import {
  type BundleContent,
  type BundledCourse,
  type BundleProblem,
  bundleProblems,
  newBundle,
} from '../../core/content/bundle.ts'
import { COVER_COLORS, type CoverColor } from '../../core/content/course.ts'
import { pricesAlone } from '../catalogue/alone.ts'
import { allCourses, changeCourses, type ForHolders, growthsOf, holdersOf } from '../catalogue/growth.ts'
import { makeEverydayPage, moveEverydayPage } from '../catalogue/pages.ts'
import { cleanRichText } from '../catalogue/richText.ts'
import { freeSlug } from '../catalogue/slug.ts'
import { type Queryable, type Transaction, transaction } from '../db/client.ts'
import { bundles, courses, offers, orderLines, productCourses, products } from '../db/schema/index.ts'
import { type Drafted, findDrafted, holdDraft, makeLive, saveDraft } from '../drafts/drafts.ts'
import { notFound, Problem } from '../http/problem.ts'
import type { Services, WithDatabase, Within } from '../platform/context.ts'
import { onceInTransaction } from '../platform/keyedRequest.ts'
import { getSchool } from '../school/service.ts'

export type Bundle = Drafted<'bundle'>

/** @throws Problem 404. */
export const getBundle = (db: Queryable, id: string): Promise<Bundle> => findDrafted(db, 'bundle', id)

/** Every course that a bundle may hold, or holds by its draft, with what it costs alone. */
async function knownCourses({ db, now }: WithDatabase): Promise<(BundledCourse & { coverColor: CoverColor })[]> {
  const rows = await db.select().from(courses).orderBy(asc(courses.position), asc(courses.createdAt))
  const alone = await pricesAlone(
    db,
    await getSchool(db),
    rows.map(({ id }) => id),
    now(),
  )
  return rows.map(({ id, live, draft, retiredAt }) => ({
    id,
    title: (live ?? draft).title,
    coverColor: (live ?? draft).coverColor,
    isOnShelf: live !== null && retiredAt === null,
    alone: alone.get(id) ?? null,
  }))
}

/** One bundle as the bench shows it: with every course that there is, who has it, and how far its growing has come. */
export async function openBundle(services: Services, id: string) {
  const { db } = services
  const bundle = await getBundle(db, id)
  const [known, holders, growths, opened, sold] = await Promise.all([
    knownCourses(services),
    holdersOf(services, id),
    growthsOf(db, id),
    db
      .select({ id: productCourses.courseId })
      .from(productCourses)
      .where(eq(productCourses.productId, id))
      .orderBy(asc(productCourses.position)),
    wasSold(db, id),
  ])
  return {
    ...bundle,
    known,
    /** People who have it, by mode. */
    holders: { live: holders.live, practice: holders.practice },
    growths,
    /** What it opens for who buys it now. */
    opened: opened.map((course) => course.id),
    wasSold: sold,
  }
}

export async function createBundle({ db, now }: Services, title: string): Promise<{ id: string }> {
  return transaction(db, async (tx) => {
    const [row] = await tx.select({ last: max(bundles.position) }).from(bundles)
    const position = (row?.last ?? -1) + 1
    // Courses take the colours from the other end.
    const color = COVER_COLORS[COVER_COLORS.length - 1 - (position % COVER_COLORS.length)] ?? 'indigo'
    return insertBundle(tx, newBundle(title, color), position, now())
  })
}

async function insertBundle(tx: Transaction, draft: BundleContent, position: number, at: Date) {
  const slug = await freeSlug(tx, draft.title)
  const [product] = await tx.insert(products).values({ kind: 'bundle', bookName: slug, createdAt: at }).returning()
  const id = product?.id as string
  await tx.insert(bundles).values({ id, slug, position, draft, draftAt: at, createdAt: at })
  await makeEverydayPage(tx, id, slug, at)
  return { id }
}

/**
 * Saves a draft that was edited from revision `baseRev`. The address follows the title until the bundle is first
 * published.
 * @throws Problem 409 `changed-elsewhere` with what the other one wrote, where `baseRev` is old.
 */
export async function saveBundleDraft({ db, now }: Services, id: string, baseRev: number, content: BundleContent) {
  const draft: BundleContent = { ...content, description: cleanRichText(content.description) }
  return transaction(db, async (tx) => {
    const current = await getBundle(tx, id)
    const keepsSlug = current.live !== null || current.draft.title === draft.title
    const slug = keepsSlug ? current.slug : await freeSlug(tx, draft.title, id)
    const saved = await saveDraft(tx, 'bundle', id, { baseRev, draft, at: now(), also: { slug } })
    if (slug !== current.slug) await moveEverydayPage(tx, id, slug)
    return saved
  })
}

/**
 * Makes the draft of revision `rev` what buyers see, and what they get. Where the courses are others than before, those
 * who have the bundle get what `forHolders` says; a bundle of all courses opens what joins for them, as it promises.
 * @throws Problem 409 where it was changed meanwhile; 422 at the field where something is missing, or at `/forHolders`
 * where somebody has it, its courses are others, and nothing is said of that.
 */
export async function publishBundle(
  services: Services,
  id: string,
  rev: number,
  by: string | null,
  forHolders: ForHolders | null,
): Promise<void> {
  await onceInTransaction(services, async (within) => {
    const bundle = await holdDraft(within.db, 'bundle', id, rev)
    await makeBundleLive(within, bundle, by, forHolders)
  })
}

/** What stops a bundle's draft from being published. */
export async function problemsOfBundle(within: WithDatabase, { draft, live }: Bundle): Promise<BundleProblem[]> {
  const known = await knownCourses(within)
  // What was retired, and was said to stay in bundles, stays.
  const liveCourseIds = new Set(live?.courses.map((course) => course.id))
  return bundleProblems(
    draft,
    known.map((course) => ({ ...course, isOnShelf: course.isOnShelf || liveCourseIds.has(course.id) })),
  )
}

/** Publishes a bundle, locked by the caller, as its draft has it. @throws Problem as {@link publishBundle}. */
export async function makeBundleLive(
  within: Within,
  bundle: Bundle,
  by: string | null,
  forHolders: ForHolders | null,
): Promise<void> {
  const { db: tx } = within
  const { id, draft } = bundle
  const problems = await problemsOfBundle(within, bundle)
  if (problems.length > 0) {
    throw new Problem(
      422,
      'not-ready',
      'Something is missing before this can be published.',
      problems.map(({ at, why }) => ({ at, why })),
    )
  }
  const wanted = draft.includesAll ? await allCourses(tx) : draft.courses
  const before = await tx
    .select({ id: productCourses.courseId })
    .from(productCourses)
    .where(eq(productCourses.productId, id))
  const had = new Set(before.map((course) => course.id))
  const isOther = wanted.length !== had.size || wanted.some((course) => !had.has(course.id))
  let then = forHolders ?? undefined
  if (isOther && !then && bundle.live) {
    if (draft.includesAll) then = { opens: true, closes: false, notifies: false }
    else if ((await holdersOf(within, id)).lines > 0) {
      throw new Problem(422, 'for-holders', 'Say what happens for those who have the bundle.', [
        { at: '/forHolders', why: 'Say what happens for those who have the bundle.' },
      ])
    }
  }
  await makeLive(tx, 'bundle', bundle, { live: draft, at: within.now(), by })
  await changeCourses(within, id, wanted, then)
}

/** A copy of a bundle and its offers, all as drafts. */
export async function duplicateBundle({ db, now }: Services, id: string): Promise<{ id: string }> {
  return transaction(db, async (tx) => {
    const bundle = await getBundle(tx, id)
    const draft = { ...bundle.draft, title: `${bundle.draft.title.slice(0, 113)} (copy)` }
    const [row] = await tx.select({ last: max(bundles.position) }).from(bundles)
    const made = await insertBundle(tx, draft, (row?.last ?? -1) + 1, now())
    const its = await tx.select().from(offers).where(eq(offers.productId, id)).orderBy(asc(offers.position))
    for (const { position, draft: offer, isTestPurchase } of its) {
      if (isTestPurchase) continue
      await tx.insert(offers).values({ productId: made.id, position, draft: offer, draftAt: now(), createdAt: now() })
    }
    return made
  })
}

export async function reorderBundles({ db }: Services, ids: string[]): Promise<void> {
  await transaction(db, async (tx) => {
    const known = await tx.select({ id: bundles.id }).from(bundles).where(inArray(bundles.id, ids))
    if (known.length !== ids.length) throw notFound('bundle')
    for (const [position, id] of ids.entries()) await tx.update(bundles).set({ position }).where(eq(bundles.id, id))
  })
}

/** Takes a bundle off the shelf, or puts it back; those who have it keep what it opened. */
export async function setBundleRetired({ db, now }: Services, id: string, isRetired: boolean): Promise<void> {
  await getBundle(db, id)
  await db
    .update(bundles)
    .set({ retiredAt: isRetired ? now() : null })
    .where(eq(bundles.id, id))
}

/** @throws Problem 409 where it was ordered: those are retired, never deleted. */
export async function deleteBundle({ db }: Services, id: string): Promise<void> {
  await getBundle(db, id)
  if (await wasSold(db, id)) throw new Problem(409, 'was-sold', 'This bundle was sold. Retire it instead.')
  // With its product go the bundle and its offers.
  await db.delete(products).where(eq(products.id, id))
}

async function wasSold(db: Queryable, id: string): Promise<boolean> {
  const [line] = await db.select({ id: orderLines.id }).from(orderLines).where(eq(orderLines.productId, id)).limit(1)
  return line !== undefined
}
