import { and, asc, eq, isNotNull, isNull, sql } from 'drizzle-orm'
import { MAX_COURSES, MIN_COURSES } from '../../core/content/bundle.ts'
import { formatList } from '../../core/sentence/words.ts'
import type { Queryable } from '../db/client.ts'
import { insertAll } from '../db/insertAll.ts'
import type { Mode } from '../db/schema/columns.ts'
import { bundleGrowths, bundles, courses, productCourses, products } from '../db/schema/index.ts'
import { findDrafted, makeLive, saveDraft } from '../drafts/drafts.ts'
import { Problem } from '../http/problem.ts'
import { inMode, type WithDatabase, type Within } from '../platform/context.ts'
import { schoolDay } from '../school/service.ts'

/** What a bundle opens, and how what joins or leaves it reaches those who have it (selling rules, section 4). */

/** What happens for those who have a bundle when its courses change. */
export interface ForHolders {
  /** Courses that join open for them too. */
  opens: boolean
  /** Courses that leave close for them too. */
  closes: boolean
  /** They are written to about what opens. */
  notifies: boolean
}
const NOBODY: ForHolders = { opens: false, closes: false, notifies: false }

/**
 * Lines by which somebody has a bundle: paid, with access that is open, yet to open, or shut until a late payment comes,
 * and not refunded in whole. `day` is today in the line's mode. To be joined as `l` (order_lines) and `o` (orders).
 */
export const holdsBundle = (day: ReturnType<typeof sql>) => sql`
  o.state = 'paid' and l.duplicate_of is null
  and exists (
    select from grants g left join agreements a on a.line_id = g.line_id
    where g.line_id = l.id and g.ended_at is null and (
      g.closes is null or g.closes > ${day} or a.state = 'active' or (a.state = 'stopped' and a.kind = 'installments')
    )
  )
  and not exists (
    select from refunds r where r.line_id = l.id and r.state = 'refunded'
    having sum(r.amount) >= (select sum(p.pay) from payments p where p.line_id = l.id and p.state = 'collected')
  )`

/** How many lines hold a bundle, and how many people those are, by mode. */
export async function holdersOf(
  services: WithDatabase,
  bundleId: string,
): Promise<Record<Mode, number> & { lines: number }> {
  const days = await daysOf(services)
  const day = sql`(case o.mode when 'live' then ${days.live}::date else ${days.practice}::date end)`
  const { rows } = await services.db.execute<{ mode: Mode; people: number; lines: number }>(sql`
    select o.mode, count(distinct o.person_id)::int as people, count(*)::int as lines
    from order_lines l join orders o on o.id = l.order_id
    where l.product_id = ${bundleId} and ${holdsBundle(day)}
    group by o.mode`)
  const of = (mode: Mode) => rows.find((row) => row.mode === mode)
  const lines = rows.reduce((sum, row) => sum + row.lines, 0)
  return { live: of('live')?.people ?? 0, practice: of('practice')?.people ?? 0, lines }
}

/** Today in each mode: practice time may run ahead. */
export async function daysOf(services: WithDatabase): Promise<Record<Mode, string>> {
  const [live, practice] = await Promise.all([schoolDay(services), schoolDay(await inMode(services, 'practice'))])
  return { live, practice }
}

/**
 * Makes a bundle open other courses from now on, for who buys it, and for those who have it as `forHolders` says: that
 * is queued, and done by a worker. Waits for orders of it that are being paid, and holds those that come after.
 * @param wanted its courses in their order, with the creator's figures.
 */
export async function changeCourses(
  services: Within,
  bundleId: string,
  wanted: readonly { id: string; figure: number | null }[],
  forHolders: ForHolders = NOBODY,
): Promise<void> {
  const { db: tx } = services
  await tx.select({ id: products.id }).from(products).where(eq(products.id, bundleId)).for('no key update')
  const before = await tx
    .select({ id: productCourses.courseId })
    .from(productCourses)
    .where(eq(productCourses.productId, bundleId))
  await tx.delete(productCourses).where(eq(productCourses.productId, bundleId))
  if (wanted.length > 0) {
    await tx.insert(productCourses).values(
      wanted.map(({ id, figure }, position) => ({
        productId: bundleId,
        courseId: id,
        position,
        weight: figure ?? 0,
      })),
    )
  }
  const had = new Set(before.map(({ id }) => id))
  const has = new Set(wanted.map(({ id }) => id))
  const joins = forHolders.opens ? [...has].filter((id) => !had.has(id)) : []
  const leaves = forHolders.closes ? [...had].filter((id) => !has.has(id)) : []
  if (joins.length + leaves.length === 0) return
  const { lines } = await holdersOf(services, bundleId)
  if (lines === 0) return
  const days = await daysOf(services)
  const growths = await tx
    .insert(bundleGrowths)
    .values(
      [...joins, ...leaves].map((courseId, index) => ({
        bundleId,
        courseId,
        what: index < joins.length ? ('joins' as const) : ('leaves' as const),
        notifies: forHolders.notifies && index < joins.length,
        liveDay: days.live,
        practiceDay: days.practice,
        total: lines,
        createdAt: services.now(),
      })),
    )
    .returning({ id: bundleGrowths.id })
  const growing = growths.map(({ id }) => ({ growthId: id }))
  await insertAll(tx, services.jobs.rows('bundle-grow', growing))
}

/** Live bundles of all courses, as far as they sell anything. */
async function bundlesOfAll(db: Queryable) {
  const rows = await db
    .select({ id: bundles.id, live: bundles.live })
    .from(bundles)
    .where(and(isNotNull(bundles.live), sql`${bundles.live} ->> 'includesAll' = 'true'`))
    .orderBy(asc(bundles.position))
  return rows.flatMap(({ id, live }) => (live ? [{ id, title: live.title }] : []))
}

/** Every course that is published and not retired, in the order of the shelf; as many as a bundle can hold. */
export async function allCourses(db: Queryable): Promise<{ id: string; figure: null }[]> {
  const rows = await db
    .select({ id: courses.id })
    .from(courses)
    .where(and(isNotNull(courses.live), isNull(courses.retiredAt)))
    .orderBy(asc(courses.position), asc(courses.createdAt))
    .limit(MAX_COURSES)
  return rows.map(({ id }) => ({ id, figure: null }))
}

/**
 * Follows a course that came onto the shelf, or left it: bundles of all courses hold what is there. Those who have one
 * get what joins, as it was promised; what leaves stays with them.
 */
export async function followShelf(services: Within): Promise<void> {
  const all = await bundlesOfAll(services.db)
  if (all.length === 0) return
  const wanted = await allCourses(services.db)
  for (const { id } of all) {
    await changeCourses(services, id, wanted, { opens: true, closes: false, notifies: false })
  }
}

/** For whom a course would open beside its own buyers when it is published: bundles of all courses, with their holders. */
export async function opensWith(services: WithDatabase) {
  const all = await bundlesOfAll(services.db)
  return Promise.all(all.map(async ({ id, title }) => ({ id, title, holders: await holdersOf(services, id) })))
}

/** Bundles that name a course, live or in a draft, by their ids, with their titles; those of all courses name none. */
export async function bundlesWith(db: Queryable, courseId: string): Promise<{ id: string; title: string }[]> {
  const named = (content: typeof bundles.live | typeof bundles.draft) =>
    sql`(${content} ->> 'includesAll' = 'false' and (${content} -> 'courses') @> ${JSON.stringify([{ id: courseId }])}::jsonb)`
  const rows = await db
    .select({ id: bundles.id, draft: bundles.draft, live: bundles.live })
    .from(bundles)
    .where(and(isNull(bundles.retiredAt), sql`(${named(bundles.live)} or ${named(bundles.draft)})`))
    .orderBy(asc(bundles.position))
  return rows.map(({ id, draft, live }) => ({ id, title: (live ?? draft).title }))
}

/**
 * Takes a course that is being retired out of the bundles that name it, drafts included, for new buyers; or leaves it.
 * @throws Problem 409 `in-bundles` with their titles, where it is named and nothing is said of that.
 */
export async function leaveBundles(within: Within, courseId: string, how: 'keep' | 'take-out' | null): Promise<void> {
  const { db: tx } = within
  const held = await bundlesWith(tx, courseId)
  if (held.length === 0 || how === 'keep') return
  const titles = held.map(({ title }) => `“${title}”`)
  if (how === null) {
    throw new Problem(409, 'in-bundles', `This course is in ${formatList(titles)}. Say what happens to it there.`)
  }
  for (const { id } of held) {
    const bundle = await findDrafted(tx, 'bundle', id)
    const without = <T extends { courses: { id: string }[] }>(content: T): T => ({
      ...content,
      courses: content.courses.filter((course) => course.id !== courseId),
    })
    if (bundle.live && !bundle.live.includesAll) {
      const live = without(bundle.live)
      if (live.courses.length < MIN_COURSES) {
        throw new Problem(
          409,
          'in-bundles',
          `Without it “${bundle.live.title}” has fewer than ${MIN_COURSES} courses. Retire the bundle first.`,
        )
      }
      await makeLive(tx, 'bundle', bundle, { live, at: within.now(), by: null })
      await changeCourses(within, id, live.courses)
    }
    await saveDraft(tx, 'bundle', id, { baseRev: bundle.draftRev, draft: without(bundle.draft), at: within.now() })
  }
}

/** What has been done for those who have a bundle, newest first: how far it has come. */
export async function growthsOf(db: Queryable, bundleId: string) {
  return db
    .select({
      id: bundleGrowths.id,
      what: bundleGrowths.what,
      course: sql<string>`coalesce(${courses.live}, ${courses.draft}) ->> 'title'`,
      total: bundleGrowths.total,
      done: bundleGrowths.done,
      createdAt: bundleGrowths.createdAt,
      finishedAt: bundleGrowths.finishedAt,
    })
    .from(bundleGrowths)
    .innerJoin(courses, eq(courses.id, bundleGrowths.courseId))
    .where(eq(bundleGrowths.bundleId, bundleId))
    .orderBy(sql`${bundleGrowths.createdAt} desc`)
    .limit(20)
}
