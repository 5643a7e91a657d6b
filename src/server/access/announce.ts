import { and, eq, gt, inArray, isNull, lte, or, type SQL, sql } from 'drizzle-orm'
import { addDays, type Day } from '../../core/calendar/day.ts'
import type { Queryable } from '../db/client.ts'
import { MODES, type Mode } from '../db/schema/columns.ts'
import { agreements, grants } from '../db/schema/index.ts'
import { recordAll } from '../journal/journal.ts'
import { queueMessage } from '../outbox/queue.ts'
import { inMode, inTransaction, type Services } from '../platform/context.ts'
import { findSchool, type School, schoolDay } from '../school/service.ts'

/** An opening that lies further back is not announced any more: it would be no news. */
const TOLD_FOR_DAYS = 7

/** Tells buyers in both modes that what they bought before its day has opened, and that an access ends soon; each once. */
export async function announceAccess(services: Services): Promise<void> {
  for (const mode of MODES) await announceAccessIn(services, mode)
}

/** The same in one mode, by its clock. */
export async function announceAccessIn(base: Services, mode: Mode): Promise<void> {
  const services = await inMode(base, mode)
  const school = await findSchool(services.db)
  if (!school) return
  const today = await schoolDay(services)
  await tell(services, mode, 'opened', opensNow(school, today), { openingNotified: today })
  if (school.endNoticeDays === 0) return
  const ahead = endsWithin(today, school.endNoticeDays)
  await tell(services, mode, 'ends-soon', ahead, { endNotified: sql`${grants.closes}` })
}

/** Grants that open on a day, or did shortly before, which is later than they were bought; not told of yet. */
function opensNow({ timeZone }: Pick<School, 'timeZone'>, today: Day): SQL | undefined {
  return and(
    isNull(grants.openingNotified),
    lte(grants.opens, today),
    gt(grants.opens, addDays(today, -TOLD_FOR_DAYS)),
    sql`${grants.opens} > (${grants.createdAt} at time zone ${timeZone})::date`,
    or(isNull(grants.closes), gt(grants.closes, today)),
    or(isNull(grants.suspendedFrom), gt(grants.suspendedFrom, today)),
  )
}

/** Grants that end within so many days and have not been announced. */
function endsWithin(today: Day, days: number): SQL | undefined {
  return and(
    sql`${grants.endNotified} is distinct from ${grants.closes}`,
    gt(grants.closes, today),
    lte(grants.closes, addDays(today, days)),
    lte(grants.opens, today),
    endsBySelf(days),
  )
}

/**
 * Grants whose end is announced `days` before, on whatever day: those that are open for longer than that. Not access that
 * goes on while it is paid, nor a course that its buyer keeps for longer in another way.
 */
export function endsBySelf(days: number): SQL | undefined {
  return and(
    sql`${grants.closes} - ${grants.opens} > ${days}::int`,
    sql`not exists (select from ${agreements} a where a.line_id = ${grants.lineId}
      and a.kind = 'subscription' and a.state <> 'completed')`,
    sql`not exists (select from ${grants} o where o.person_id = ${grants.personId} and o.course_id = ${grants.courseId}
      and o.ended_at is null and o.members_of is null and (o.closes is null or o.closes > ${grants.closes}))`,
  )
}

/** The first day after `after` on which buyers of a mode are told something by these rules; null where none is known. */
export async function nextAnnouncement(
  db: Queryable,
  mode: Mode,
  { endNoticeDays }: School,
  after: Day,
): Promise<Day | null> {
  const held = and(eq(grants.mode, mode), isNull(grants.endedAt))
  const [opening] = await db
    .select({ on: sql<string | null>`min(${grants.opens})::text` })
    .from(grants)
    .where(and(held, isNull(grants.openingNotified), gt(grants.opens, after)))
  if (endNoticeDays === 0) return opening?.on ?? null
  const on = sql<string>`(${grants.closes} - ${endNoticeDays}::int)`
  const [ending] = await db
    .select({ on: sql<string | null>`min(${on})::text` })
    .from(grants)
    .where(
      and(
        held,
        sql`${grants.endNotified} is distinct from ${grants.closes}`,
        endsBySelf(endNoticeDays),
        sql`${on} > ${after}`,
      ),
    )
  return [opening?.on, ending?.on].filter((day) => day != null).sort()[0] ?? null
}

/** Queues one message an order for the grants that a condition holds for, and marks them, so that no other worker does it too. */
async function tell(
  services: Services,
  mode: Mode,
  kind: 'opened' | 'ends-soon',
  which: SQL | undefined,
  noted: { openingNotified: Day } | { endNotified: SQL },
): Promise<void> {
  const rows = await services.db
    .select({ id: grants.id, personId: grants.personId, orderId: grants.orderId, closes: grants.closes })
    .from(grants)
    .where(and(eq(grants.mode, mode), isNull(grants.endedAt), which))
  const together = new Map<string, typeof rows>()
  for (const row of rows) {
    const name = [row.personId, row.orderId, kind === 'ends-soon' ? row.closes : ''].join(' ')
    together.set(name, [...(together.get(name) ?? []), row])
  }
  for (const of of together.values()) {
    const ids = of.map(({ id }) => id)
    const { personId, orderId } = of[0] as (typeof rows)[number]
    await inTransaction(services, async (within) => {
      const told = await within.db
        .update(grants)
        .set(noted)
        .where(and(inArray(grants.id, ids), isNull(grants.endedAt), which))
        .returning({ id: grants.id })
      if (told.length === 0) return
      const { queued, rows: message } = queueMessage(within, { mode, kind, personId, orderId })
      await recordAll(within.db, within.now(), [queued], message)
    })
  }
}
