import { and, asc, eq, gt, isNotNull, isNull, or, sql } from 'drizzle-orm'
import type { Day } from '../../core/calendar/day.ts'
import { closesBy } from '../../core/quote/courseDay.ts'
import { readStoredQuote } from '../../core/quote/stored.ts'
import { updateAll } from '../db/insertAll.ts'
import { MODES, type Mode } from '../db/schema/columns.ts'
import { courses, grants, OPENING_DAY, orderLines, orders } from '../db/schema/index.ts'
import { type JournalEvent, recordAll } from '../journal/journal.ts'
import { queueMessages } from '../outbox/queue.ts'
import { inMode, inTransaction, type Services, type Within } from '../platform/context.ts'
import { findSchool, schoolDay } from '../school/service.ts'

/** So many grants are moved in one transaction. */
const TURN = 500

/**
 * Moves access that is not open yet to the day of its course as that is published now, in both modes, what lasts a span
 * with its end (selling rules, section 2a). Called again and again; what stands right is left as it is. Buyers are told.
 */
export async function moveOpenings(services: Services): Promise<void> {
  for (const mode of MODES) await moveOpeningsIn(services, mode)
}

/** The same in one mode, by its clock. */
export async function moveOpeningsIn(base: Services, mode: Mode): Promise<void> {
  const services = await inMode(base, mode)
  // Before the school is set up there is nothing to move.
  if (!(await findSchool(services.db))) return
  const today = await schoolDay(services)
  for (let moved = TURN; moved === TURN; ) moved = await inTransaction(services, (within) => turn(within, mode, today))
}

/** Moves the next ones. @returns how many. */
async function turn(within: Within, mode: Mode, today: Day): Promise<number> {
  const { db: tx } = within
  const target = sql<Day>`greatest(${grants.ownOpens}, ${OPENING_DAY}::date, ${today}::date)`
  const rows = await tx
    .select({
      grant: grants,
      to: sql<Day>`${target}::text`,
      title: sql<string>`coalesce(${courses.live}, ${courses.draft}) ->> 'title'`,
      line: { position: orderLines.position, opensFrom: orderLines.opensFrom },
      order: { quoteInput: orders.quoteInput, placedOn: orders.placedOn },
    })
    .from(grants)
    .innerJoin(courses, eq(courses.id, grants.courseId))
    .leftJoin(orderLines, eq(orderLines.id, grants.lineId))
    .leftJoin(orders, eq(orders.id, grants.orderId))
    .where(
      and(
        eq(grants.mode, mode),
        gt(grants.opens, today),
        isNull(grants.openingNotified),
        isNull(grants.endedAt),
        isNotNull(grants.ownOpens),
        or(isNull(grants.closes), gt(grants.closes, today)),
        sql`${grants.opens} <> ${target}`,
      ),
    )
    .orderBy(asc(grants.id))
    .limit(TURN)
    // Rows that another transaction is changing are left to the next round.
    .for('no key update', { of: grants, skipLocked: true })
  await updateAll(
    tx,
    grants,
    'id',
    rows.map(({ grant, to, line, order }) => {
      const offer = order && line ? readStoredQuote(order.quoteInput).lines[line.position]?.offer : undefined
      const { lasts } = offer?.access ?? { lasts: 'forever' }
      const isSpan = typeof lasts === 'object' && 'count' in lasts
      const rule = isSpan && offer && line ? { ...offer, from: line.opensFrom } : null
      return { id: grant.id, opens: to, closes: rule ? closesBy(rule, to, order?.placedOn ?? to) : grant.closes }
    }),
  )
  // What opens now is told of as that.
  const told = rows.filter(({ to }) => to > today)
  const messages = queueMessages(
    within,
    told.map(({ grant: { personId, orderId }, title }) => ({
      ...{ mode, kind: 'opening-moved' as const, personId, orderId, courseTitle: title },
    })),
  )
  const events = rows.map(({ grant: { personId, orderId, opens }, to, title }): JournalEvent => {
    return { about: { personId, orderId }, what: 'opening-moved', data: { course: title, from: opens, to } }
  })
  await recordAll(tx, within.now(), [...events, ...messages.queued], messages.rows)
  return rows.length
}
