import { and, eq, inArray, isNull, ne, notInArray } from 'drizzle-orm'
import { afterGivenBack } from '../../core/collecting/agreement.ts'
import { holdAgreement, saveAgreement } from '../agreements/agreements.ts'
import { getCourse } from '../catalogue/service.ts'
import type { Mode } from '../db/schema/columns.ts'
import { agreements, grants, lineCourses } from '../db/schema/index.ts'
import { notFound, Problem } from '../http/problem.ts'
import { type JournalEvent, record, recordAll } from '../journal/journal.ts'
import { queueMessage } from '../outbox/queue.ts'
import type { Services, Within } from '../platform/context.ts'
import { onceInTransaction } from '../platform/keyedRequest.ts'
import { schoolDay } from '../school/service.ts'

/**
 * Closes what a line opened, and ends its agreement: nothing more is charged or owed. Done once, it changes nothing
 * any more. The caller holds the order's lock.
 * @returns what happened, for the journal.
 */
export async function closeLine(services: Within, lineId: string, note: string): Promise<JournalEvent[]> {
  const { db: tx } = services
  const events: JournalEvent[] = []
  const [agreed] = await tx.select({ id: agreements.id }).from(agreements).where(eq(agreements.lineId, lineId))
  if (agreed) {
    const held = await holdAgreement(tx, agreed.id)
    const next = afterGivenBack(held.agreement, await schoolDay(services))
    const about = { orderId: held.order.id, personId: held.order.personId }
    if (next) {
      await saveAgreement(tx, held, next)
      events.push({ about, what: 'agreement-cancelled', data: { when: 'now', by: 'creator' } })
    }
  }
  return [...events, ...(await endGrants(services, lineId, null, note))]
}

/**
 * Closes some of the courses that a line opened; what is agreed for the line goes on while any of it is open, and ends
 * with the last. The caller holds the order's lock.
 * @returns what happened, for the journal.
 */
export async function closeCourses(
  services: Within,
  lineId: string,
  courseIds: readonly string[],
  note: string,
): Promise<JournalEvent[]> {
  const { db: tx } = services
  const others = await tx.$count(
    grants,
    and(eq(grants.lineId, lineId), isNull(grants.endedAt), notInArray(grants.courseId, [...courseIds])),
  )
  return others === 0 ? closeLine(services, lineId, note) : endGrants(services, lineId, courseIds, note)
}

/** Ends grants of a line, of some courses or of all, and says so by their titles. */
async function endGrants(
  { db: tx, now }: Within,
  lineId: string,
  courseIds: readonly string[] | null,
  note: string,
): Promise<JournalEvent[]> {
  const closed = await tx
    .update(grants)
    .set({ endedAt: now(), endedNote: note })
    .where(
      and(
        eq(grants.lineId, lineId),
        isNull(grants.endedAt),
        courseIds ? inArray(grants.courseId, [...courseIds]) : undefined,
      ),
    )
    .returning()
  const titles = await tx
    .select({ courseId: lineCourses.courseId, title: lineCourses.title })
    .from(lineCourses)
    .where(eq(lineCourses.lineId, lineId))
  return closed.map(({ orderId, personId, courseId }): JournalEvent => {
    const course = titles.find((one) => one.courseId === courseId)?.title ?? ''
    return { about: { orderId, personId }, what: 'course-taken-back', data: { course, note } }
  })
}

/**
 * Takes a course back: it is shut from now on, and stays so. What was agreed for it ends first: nothing is ever charged
 * for a course that the creator has shut, and what a plan still owes is let go. Money is not given back by it.
 * @throws Problem 404, or 409 where it was taken back already, or a payment for it is under way.
 */
export async function takeBack(services: Services, mode: Mode, grantId: string, note: string): Promise<void> {
  await onceInTransaction(services, async (services) => {
    const { db: tx, now } = services
    const [grant] = await tx
      .select()
      .from(grants)
      .where(and(eq(grants.id, grantId), eq(grants.mode, mode)))
    if (!grant) throw notFound('grant')
    // Of a bundle one course is taken back alone, while others of it are open.
    const others = grant.lineId
      ? await tx.$count(grants, and(eq(grants.lineId, grant.lineId), isNull(grants.endedAt), ne(grants.id, grant.id)))
      : 0
    if (grant.lineId && grant.endedAt === null && others > 0) {
      return recordAll(tx, now(), await closeCourses(services, grant.lineId, [grant.courseId], note))
    }
    const [agreed] = grant.lineId
      ? await tx.select({ id: agreements.id }).from(agreements).where(eq(agreements.lineId, grant.lineId))
      : []
    if (agreed && grant.endedAt === null) {
      const held = await holdAgreement(tx, agreed.id)
      if (held.isUnderWay) {
        throw new Problem(
          409,
          'under-way',
          'A payment for it is in progress. Wait until it is settled, then try again.',
        )
      }
    }
    if (grant.lineId) {
      const events = await closeLine(services, grant.lineId, note)
      if (events.length === 0) throw takenBackAlready()
      if (agreed && events.some(({ what }) => what === 'agreement-cancelled')) {
        const { personId, orderId } = grant
        const message = { mode, kind: 'cancelled' as const, personId, orderId, agreementId: agreed.id }
        const { queued, rows } = queueMessage(services, message)
        return recordAll(tx, now(), [...events, queued], rows)
      }
      return recordAll(tx, now(), events)
    }
    const [ended] = await tx
      .update(grants)
      .set({ endedAt: now(), endedNote: note })
      .where(and(eq(grants.id, grantId), isNull(grants.endedAt)))
      .returning()
    if (!ended) throw takenBackAlready()
    const course = await getCourse(tx, grant.courseId)
    const data = { course: (course.live ?? course.draft).title, note }
    await record(tx, now(), { personId: grant.personId }, 'course-taken-back', data)
  })
}

function takenBackAlready(): Problem {
  return new Problem(409, 'ended', 'This was undone already.')
}
