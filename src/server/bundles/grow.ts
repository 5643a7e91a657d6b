import { and, asc, eq, isNull, sql } from 'drizzle-orm'
import { holdsBundle } from '../catalogue/growth.ts'
import { insertAll } from '../db/insertAll.ts'
import type { Mode } from '../db/schema/columns.ts'
import { bundleGrowths, courses } from '../db/schema/index.ts'
import { recordAll } from '../journal/journal.ts'
import { queueMessages } from '../outbox/queue.ts'
import { inTransaction, type Services, type Within } from '../platform/context.ts'

/** So many lines are done in one transaction. */
const TURN = 1000

/** Kept with access that ended because its course left a bundle; it comes back if the course does. */
const LEFT_BUNDLE = 'Taken out of the bundle'

/**
 * Does what a growth asks for, turn by turn: each turn is one transaction that also notes how far it has come, so that
 * whatever ends in between, it goes on where it was, and every line is done once.
 * @param turns how many are done at most, for tests.
 */
export async function growBundle(
  services: Services,
  growthId: string,
  turns = Number.POSITIVE_INFINITY,
): Promise<void> {
  for (let turn = 0; turn < turns; turn++) {
    const isDone = await inTransaction(services, (within) => takeTurn(within, growthId))
    if (isDone) return
  }
}

/** Growths that nobody works on any more are queued again: their job was lost with its worker, or gave up. */
export async function resumeGrowths(services: Services): Promise<void> {
  const open = await services.db
    .select({ id: bundleGrowths.id })
    .from(bundleGrowths)
    .where(isNull(bundleGrowths.finishedAt))
    .orderBy(asc(bundleGrowths.createdAt))
  for (const { id } of open) {
    await services.jobs.send(services.db, 'bundle-grow', { growthId: id }, { once: id })
  }
}

/** @returns whether nothing is left to do. */
async function takeTurn(within: Within, growthId: string): Promise<boolean> {
  const { db: tx } = within
  // Two workers take turns.
  const [growth] = await tx
    .select({ growth: bundleGrowths, course: courses })
    .from(bundleGrowths)
    .innerJoin(courses, eq(courses.id, bundleGrowths.courseId))
    .where(and(eq(bundleGrowths.id, growthId), isNull(bundleGrowths.finishedAt)))
    .for('update', { of: bundleGrowths })
  if (!growth) return true
  const title = (growth.course.live ?? growth.course.draft).title
  const done =
    growth.growth.what === 'joins'
      ? await open(within, growth.growth, title)
      : await close(within, growth.growth, title)
  const isLast = done.looked < TURN
  await tx
    .update(bundleGrowths)
    .set({
      done: sql`${bundleGrowths.done} + ${done.lines.length}`,
      after: done.last,
      ...(isLast ? { finishedAt: within.now() } : {}),
    })
    .where(eq(bundleGrowths.id, growthId))
  if (growth.growth.notifies) await notify(within, done.lines, title)
  return isLast
}

interface DoneLine {
  line_id: string
  order_id: string
  person_id: string
  mode: Mode
}

interface Turn<L extends DoneLine = DoneLine> {
  /** How many lines were looked at, and the last of them. */
  looked: number
  last: string | null
  /** Those for which something was done. */
  lines: L[]
}

/** With the days from which, and until when, the course is open for it. */
type OpenedLine = DoneLine & { opens: string; closes: string | null }

function aboutOf({ order_id: orderId, person_id: personId }: DoneLine) {
  return { orderId, personId }
}
type Growth = typeof bundleGrowths.$inferSelect

/** The lines of the next turn, as `held`: those that have the bundle, in the order of their ids. */
function held({ bundleId, courseId, after, liveDay, practiceDay }: Growth) {
  const day = sql`(case o.mode when 'live' then ${liveDay}::date else ${practiceDay}::date end)`
  return sql`held as materialized (
    select l.id as line_id, l.order_id, l.offer_id, o.person_id, o.mode, ${day} as day, g.closes, g.suspended_from, g.members_of,
      greatest(${day}, (select (c.live ->> 'opens')::date from courses c where c.id = ${courseId})) as opens
    from order_lines l
    join orders o on o.id = l.order_id
    -- The line's own end: that of the course that opened first.
    cross join lateral (
      select g.closes, g.suspended_from, g.members_of from grants g
      where g.line_id = l.id and g.ended_at is null order by g.opens, g.created_at, g.id limit 1
    ) g
    where l.product_id = ${bundleId} and ${after === null ? sql`true` : sql`l.id > ${after}`} and ${holdsBundle(day)}
    order by l.id limit ${TURN}
  )`
}

/** The course opens for the next lines, until when their bundle is open. A line that has it has it already. */
async function open(within: Within, growth: Growth, title: string): Promise<Turn> {
  const at = within.now()
  const { courseId } = growth
  const { rows } = await within.db.execute<{ looked: number; last: string | null; lines: OpenedLine[] }>(sql`
    with ${held(growth)},
    -- What opens when the line has ended is not included, but for what is open as long as it is paid.
    included as (
      select * from held where closes is null or closes > opens or exists (
        select from agreements a where a.line_id = held.line_id and a.kind = 'subscription' and a.state <> 'completed')
    ),
    listed as (
      insert into line_courses (line_id, course_id, position, title, weight)
      select line_id, ${courseId}, coalesce((select max(c.position) + 1 from line_courses c where c.line_id = included.line_id), 0),
        ${title}, 0
      from included on conflict do nothing
    ),
    opened as (
      insert into grants (mode, person_id, course_id, order_id, line_id, offer_id, opens, own_opens, closes, suspended_from,
        members_of, created_at)
      select mode, person_id, ${courseId}, order_id, line_id, offer_id, opens, day, closes, suspended_from, members_of, ${at}
      from included
      on conflict (line_id, course_id) do update
        set ended_at = null, ended_note = null, closes = excluded.closes, suspended_from = excluded.suspended_from
        where grants.ended_note = ${LEFT_BUNDLE}
      returning mode, person_id, order_id, line_id, opens, closes
    )
    select (select count(*)::int from held) as looked, (select line_id from held order by line_id desc limit 1) as last,
      coalesce((select jsonb_agg(jsonb_build_object(
        'line_id', line_id, 'order_id', order_id, 'person_id', person_id, 'mode', mode, 'opens', opens, 'closes', closes))
        from opened), '[]') as lines`)
  const turn = turnOf(rows[0])
  await recordAll(
    within.db,
    at,
    turn.lines.map(({ opens, closes, ...line }) => ({
      about: aboutOf(line),
      what: 'course-opened',
      data: { course: title, opens, closes },
    })),
  )
  return turn
}

/** The course closes for the next lines, as far as the bundle opened it. */
async function close(within: Within, growth: Growth, title: string): Promise<Turn> {
  const at = within.now()
  const { rows } = await within.db.execute<{ looked: number; last: string | null; lines: Turn['lines'] }>(sql`
    with ${held(growth)},
    closed as (
      update grants set ended_at = ${at}, ended_note = ${LEFT_BUNDLE}
      from held
      where grants.line_id = held.line_id and grants.course_id = ${growth.courseId} and grants.ended_at is null
      returning grants.mode, grants.person_id, grants.order_id, grants.line_id
    )
    select (select count(*)::int from held) as looked, (select line_id from held order by line_id desc limit 1) as last,
      coalesce((select jsonb_agg(jsonb_build_object(
        'line_id', line_id, 'order_id', order_id, 'person_id', person_id, 'mode', mode)) from closed), '[]') as lines`)
  const turn = turnOf(rows[0])
  await recordAll(
    within.db,
    at,
    turn.lines.map((line) => ({
      about: aboutOf(line),
      what: 'course-taken-back',
      data: { course: title, note: LEFT_BUNDLE },
    })),
  )
  return turn
}

function turnOf<L extends DoneLine>(row: Turn<L> | undefined): Turn<L> {
  if (!row) throw new Error('A turn of a growth has no answer.')
  return row
}

/** Each person is written to once, about one of their lines. */
async function notify(within: Within, lines: Turn['lines'], title: string): Promise<void> {
  const byPerson = new Map(lines.map((line) => [line.person_id, line]))
  const { rows } = queueMessages(
    within,
    [...byPerson.values()].map(({ person_id: personId, order_id: orderId, mode }) => ({
      mode,
      kind: 'bundle-grew' as const,
      personId,
      orderId,
      courseTitle: title,
    })),
  )
  await insertAll(within.db, ...rows)
}
