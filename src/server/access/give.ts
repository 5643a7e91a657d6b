import { and, asc, eq, inArray, isNull } from 'drizzle-orm'
import * as v from 'valibot'
import { addDays, isDay } from '../../core/calendar/day.ts'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { openingDay } from '../../core/quote/courseDay.ts'
import type { Transaction } from '../db/client.ts'
import type { Mode } from '../db/schema/columns.ts'
import { courses, grants, people, productCourses } from '../db/schema/index.ts'
import { fieldProblem, notFound, Problem } from '../http/problem.ts'
import { type JournalEvent, record, recordAll } from '../journal/journal.ts'
import { queueMessage } from '../outbox/queue.ts'
import type { Services } from '../platform/context.ts'
import { onceInTransaction } from '../platform/keyedRequest.ts'
import { getSchool, schoolDay } from '../school/service.ts'
import type { Grant } from './decision.ts'
import { grantsOf } from './service.ts'

const day = v.pipe(v.string(), v.check(isDay, 'This date does not exist.'))
const note = v.optional(v.pipe(v.string(), v.trim(), v.maxLength(300, 'Use at most 300 characters.')), '')
const uuid = v.pipe(v.string(), v.uuid('Choose a course.'))

export const giveSchema = v.object({
  courseIds: v.optional(v.pipe(v.array(uuid), v.maxLength(200, 'Choose at most 200 courses.')), []),
  /** All that a bundle opens now, in place of courses that are named. */
  bundleId: v.optional(v.nullable(uuid), null),
  /** The first day; null: today, or the day of the course where that is later. */
  from: v.optional(v.nullable(day), null),
  /** The last day; null: for good. */
  until: v.optional(v.nullable(day), null),
  note,
})

export const untilSchema = v.object({ until: v.nullable(day), note })

/**
 * Gives courses, or all of a bundle, by hand, from a first day to a last one, and tells the buyer. What they have for as
 * long already is left as it is; what was given before is given for longer.
 * @throws Problem 404, 409 where they have all of it for as long, 422 at `/courseIds`, `/from` or `/until`.
 */
export async function giveAccess(
  services: Services,
  personId: string,
  { courseIds = [], bundleId = null, from = null, until = null, note: why = '' }: v.InferInput<typeof giveSchema>,
): Promise<void> {
  const { now } = services
  const today = await schoolDay(services)
  const opens = from ?? today
  if (opens < today) throw fieldProblem('/from', 'This day is in the past.')
  if (until !== null && until < opens) throw fieldProblem('/until', 'This is before the first day.')
  const closes = until === null ? null : addDays(until, 1)
  await onceInTransaction(services, async (services) => {
    const { db: tx } = services
    const [person] = await tx.select().from(people).where(eq(people.id, personId)).for('no key update')
    if (!person || person.erasedAt) throw notFound('person')
    const wanted = await coursesToGive(tx, bundleId, courseIds)
    const school = await getSchool(tx)
    const about = { personId }
    const given: typeof wanted = []
    for (const course of wanted) {
      const first = from ?? openingDay(today, course.opens)
      const held = await grantsOf(services, { mode: person.mode, person, browserHash: null }, course.id)
      if (closes !== null && closes <= first) {
        const day = formatDay(first, school.language)
        throw fieldProblem('/until', `“${course.title}” opens on ${day}, after this day.`)
      }
      if (held.some((grant) => coversAll(grant, first, closes))) continue
      const byHand = held.find(({ lineId, endedAt }) => lineId === null && endedAt === null)
      const isOver = byHand?.closes != null && byHand.closes <= today
      // Without a day of its own it opens with its course, whenever that is.
      const ownOpens = from === null ? today : null
      const values = { opens: first, ownOpens, closes, note: why, openingNotified: null }
      if (byHand) {
        // What is open stays open meanwhile.
        const opens = isOver || first < byHand.opens ? first : byHand.opens
        await tx
          .update(grants)
          .set({ ...values, opens, ownOpens: opens === first ? ownOpens : byHand.ownOpens })
          .where(eq(grants.id, byHand.id))
      } else {
        await tx
          .insert(grants)
          .values({ ...values, mode: person.mode, personId, courseId: course.id, createdAt: now() })
      }
      given.push(course)
    }
    if (given.length === 0) throw new Problem(409, 'has-it', `${person.name} has ${formatIt(wanted.length)} already.`)
    const titles = given.map(({ title }) => title)
    const message = { mode: person.mode, kind: 'given' as const, personId, courseTitle: titles.join('\n') }
    const { queued, rows } = queueMessage(services, message)
    const events = titles.map((course): JournalEvent => ({ about, what: 'course-given', data: { course, note: why } }))
    await recordAll(tx, now(), [...events, queued], rows)
  })
}

const formatIt = (count: number) => (count === 1 ? 'this course' : 'all of these courses')

/** Whether a grant that goes on by itself is open for all of a time. */
function coversAll(grant: Grant, opens: string, closes: string | null): boolean {
  const { agreement, suspendedFrom, endedAt } = grant
  if (endedAt !== null || suspendedFrom !== null || agreement?.state === 'active') return false
  return grant.opens <= opens && (grant.closes === null || (closes !== null && grant.closes >= closes))
}

/** @throws Problem 422 at `/courseIds` where there is none. */
async function coursesToGive(tx: Transaction, bundleId: string | null, courseIds: readonly string[]) {
  const ids =
    bundleId === null
      ? [...new Set(courseIds)]
      : (
          await tx
            .select({ id: productCourses.courseId })
            .from(productCourses)
            .where(eq(productCourses.productId, bundleId))
            .orderBy(asc(productCourses.position))
        ).map(({ id }) => id)
  if (ids.length === 0) throw fieldProblem('/courseIds', 'Choose a course.')
  const rows = await tx.select().from(courses).where(inArray(courses.id, ids))
  return ids.map((id) => {
    const course = rows.find((row) => row.id === id)
    if (!course) throw notFound('course')
    return { id, title: (course.live ?? course.draft).title, opens: course.live?.opens ?? null }
  })
}

/**
 * Sets the last day of an access that was given by hand; null: for good.
 * @throws Problem 404 where it was bought or has been removed; 422 at `/until` where the day is past.
 */
export async function setAccessEnd(
  services: Services,
  mode: Mode,
  grantId: string,
  { until, note: why = '' }: v.InferInput<typeof untilSchema>,
): Promise<void> {
  const today = await schoolDay(services)
  if (until !== null && until < today) throw fieldProblem('/until', 'This day is in the past.')
  await onceInTransaction(services, async (services) => {
    const { db: tx } = services
    const byHand = and(eq(grants.mode, mode), isNull(grants.lineId), isNull(grants.endedAt))
    const [grant] = await tx
      .update(grants)
      .set({ closes: until === null ? null : addDays(until, 1) })
      .where(and(eq(grants.id, grantId), byHand))
      .returning()
    if (!grant) throw notFound('access')
    const [course] = await tx.select().from(courses).where(eq(courses.id, grant.courseId))
    const title = course ? (course.live ?? course.draft).title : ''
    const data = { course: title, until, note: why }
    await record(tx, services.now(), { personId: grant.personId }, 'access-until', data)
  })
}
