import { and, count, desc, eq, gt, inArray, ne, sql } from 'drizzle-orm'
import { addDays, type Day, later } from '../../core/calendar/day.ts'
import { BANK_TRANSFER_ID } from '../../gateways/bankTransfer.ts'
import { announceAccessIn, nextAnnouncement } from '../access/announce.ts'
import { moveOpeningsIn } from '../access/openings.ts'
import { CALL_SECONDS } from '../charging/start.ts'
import { announceIn } from '../collecting/announce.ts'
import { agreementsDue, collectAgreements } from '../collecting/collect.ts'
import { type Queryable, transaction } from '../db/client.ts'
import {
  agreements,
  attempts,
  connections,
  journal,
  messages,
  orders,
  type PracticeMove,
  people,
  school,
} from '../db/schema/index.ts'
import { Problem } from '../http/problem.ts'
import { lookUpAwaited } from '../lookup/lookup.ts'
import { inMode, inTransaction, type Services, type Within } from '../platform/context.ts'
import { isCommitted, onceInTransaction } from '../platform/keyedRequest.ts'
import { getSchool, schoolDay } from '../school/service.ts'

const DAY_MS = 86_400_000
/** One move goes at most so far. */
export const MAX_DAYS = 400
const MESSAGES_MS = 1500
/** As long as the job of an unanswered attempt waits before it asks, and a little. */
const ANSWERED_MS = (CALL_SECONDS + 10) * 1000
/** A turn of a move is at most so long; then it lets other jobs of its worker come. */
const TURN_MS = 60_000
/** What came is listed as far as somebody would read it. */
const MAX_REPORTED = 300

/** What a move of practice time brought, the newest first. */
export interface PastEvent {
  at: Date
  what: string
  orderId: string | null
  number: number | null
  buyer: string | null
  data: Record<string, string | number | null>
}

/**
 * Practice time: its day, how far ahead it runs, the next day on which something comes by itself; and its last move,
 * on its way or done, with what came of it.
 */
export async function practiceClock(base: Services) {
  const services = await inMode(base, 'practice')
  const day = await schoolDay(services)
  const { practiceAheadMs, practiceMove: move } = await getSchool(base.db)
  const [next, came] = await Promise.all([nextEvent(services, day, null), move && eventsSince(base, move.since)])
  return {
    day,
    daysAhead: Math.round(practiceAheadMs / DAY_MS),
    next,
    move: move && came && { ...move, ...came },
    /** One move goes at most so far. */
    mostDays: MAX_DAYS,
    mailbox: `${base.config.standinsOrigin}/mail`,
  }
}

/** The next day on which something comes by itself; with `after`, of those that lie behind it. */
async function nextEvent({ db }: Services, today: Day, after: Day | null): Promise<Day | null> {
  const [row] = await db
    .select({ on: sql<string | null>`min(${agreements.nextTry})` })
    .from(agreements)
    .where(and(eq(agreements.mode, 'practice'), after ? gt(agreements.nextTry, after) : undefined))
  const [awaited] = await db
    .select({ n: count() })
    .from(attempts)
    .innerJoin(connections, eq(connections.id, attempts.connectionId))
    .where(
      and(eq(connections.mode, 'practice'), ne(connections.adapter, BANK_TRANSFER_ID), eq(attempts.state, 'awaiting')),
    )
  // Money that comes hours later is there on the next day.
  const tomorrow = (awaited?.n ?? 0) > 0 ? addDays(today, 1) : null
  return (
    [
      row?.on ?? null,
      tomorrow,
      await nextNotice(db, after ?? today),
      await nextAnnouncement(db, 'practice', await getSchool(db), after ?? today),
    ]
      .filter((day) => day !== null)
      .sort()[0] ?? null
  )
}

/** The next day on which buyers are told of a renewal; null where the school tells of none. */
async function nextNotice(db: Queryable, after: Day): Promise<Day | null> {
  const { renewalNoticeDays } = await getSchool(db)
  if (renewalNoticeDays === 0) return null
  const on = sql<string>`(${agreements.nextTry} - ${renewalNoticeDays}::int)`
  const [row] = await db
    .select({ on: sql<string | null>`min(${on})::text` })
    .from(agreements)
    .where(
      and(
        eq(agreements.mode, 'practice'),
        eq(agreements.state, 'active'),
        eq(agreements.kind, 'subscription'),
        eq(agreements.tries, 0),
        sql`${agreements.renewalNotified} is distinct from ${agreements.nextTry}`,
        sql`${on} > ${after}`,
      ),
    )
  return row?.on ?? null
}

async function holdMove(tx: Queryable): Promise<PracticeMove | null> {
  const [row] = await tx.select({ move: school.practiceMove }).from(school).for('update')
  return row?.move ?? null
}

/**
 * Begins to move practice time forward by days, or to the next event: a worker goes there day by day, as it would be
 * in life, and lets everything come that comes on the way. Live time cannot move.
 * @throws Problem 409 where it moves already, or no event is to come.
 */
export async function startMove(base: Services, to: { days: number } | 'next'): Promise<void> {
  const now = await inMode(base, 'practice')
  const from = await schoolDay(now)
  if (isCommitted(base)) return
  const target = to === 'next' ? await nextEvent(now, from, null) : addDays(from, to.days)
  if (!target) throw new Problem(409, 'no-event', 'Nothing is scheduled in Practice.')
  await onceInTransaction(base, async ({ db: tx, jobs }) => {
    if ((await holdMove(tx))?.state === 'moving')
      throw new Problem(409, 'moving', 'The practice clock is already moving.')
    const [last] = await tx.select({ id: sql<number>`coalesce(max(${journal.id}), 0)::float8` }).from(journal)
    const move = { from, to: later(from, target), since: last?.id ?? 0, state: 'moving' as const }
    await tx.update(school).set({ practiceMove: move })
    await jobs.send(tx, 'practice-move', {})
  })
}

/** Lets practice time go no further than the day on which it is, whatever keeps it there. */
export async function stopMove(base: Services): Promise<void> {
  const day = await schoolDay(await inMode(base, 'practice'))
  await transaction(base.db, async (tx) => {
    const move = await holdMove(tx)
    if (move?.state !== 'moving') return
    await tx.update(school).set({ practiceMove: { ...move, to: day, state: 'done' } })
  })
}

/**
 * The worker's job: goes on with a move for a while, and asks to be called again where it is not there. Safe to be
 * called twice at the same time: what is due is collected once, and a day is left by one of them.
 */
export async function continueMove(base: Services): Promise<void> {
  const until = Date.now() + TURN_MS
  for (;;) {
    const { practiceMove, practiceAheadMs: aheadMs } = await getSchool(base.db)
    if (practiceMove?.state !== 'moving') return
    await workNow(base)
    const now = await inMode(base, 'practice')
    const day = await schoolDay(now)
    const coming = await nextEvent(now, day, day)
    const isThere = await inTransaction(now, async (now) => {
      const { db: tx } = now
      const move = await holdMove(tx)
      if (move?.state !== 'moving') return true
      if (day >= move.to) {
        await tx.update(school).set({ practiceMove: { ...move, state: 'done' } })
        return true
      }
      await setPracticeDay(now, aheadMs, coming !== null && coming <= move.to ? coming : move.to)
      return false
    })
    if (isThere) return
    if (Date.now() > until) return base.jobs.send(base.db, 'practice-move', {})
  }
}

/** Queues a move that was left, because its worker ended. */
export async function resumeMove({ db, jobs }: Services): Promise<void> {
  const [row] = await db.select({ move: school.practiceMove }).from(school)
  if (row?.move?.state === 'moving') await jobs.send(db, 'practice-move', {}, { once: 'resume' })
}

/** Does what is due at this moment of practice, until nothing is left, and lets its messages go. */
async function workNow(base: Services): Promise<void> {
  for (let round = 0; round < 50; round++) {
    const due = await agreementsDue(base, 'practice')
    const [error] = (await collectAgreements(base, due)).values()
    if (error !== undefined) throw error
    if (due.length > 0) continue
    await untilAnswered(base)
    if ((await agreementsDue(base, 'practice')).length === 0) break
  }
  await lookUpAwaited(base, 'practice')
  await announceIn(base, 'practice')
  await moveOpeningsIn(base, 'practice')
  await announceAccessIn(base, 'practice')
  // A message says how things stand when it is sent; those of this day go before the next one comes.
  const until = Date.now() + MESSAGES_MS
  while (Date.now() < until && (await waiting(base)) > 0) await new Promise((resolve) => setTimeout(resolve, 100))
}

/**
 * Waits for charges that are on their way just now, another worker's too: what follows from them belongs to this day.
 * One that stays without an answer is looked up by its own job.
 */
async function untilAnswered({ db }: Services): Promise<void> {
  const onTheirWay = and(eq(connections.mode, 'practice'), eq(attempts.state, 'started'))
  for (const until = Date.now() + ANSWERED_MS; Date.now() < until; ) {
    const [row] = await db
      .select({ n: count() })
      .from(attempts)
      .innerJoin(connections, eq(connections.id, attempts.connectionId))
      .where(onTheirWay)
    if ((row?.n ?? 0) === 0) return
    await new Promise((resolve) => setTimeout(resolve, 50))
  }
}

async function waiting({ db }: Services): Promise<number> {
  const [row] = await db
    .select({ n: count() })
    .from(messages)
    .where(and(eq(messages.mode, 'practice'), eq(messages.state, 'waiting')))
  return row?.n ?? 0
}

/** Sets practice time to a later day, at the same time of day as now, or at eight in the morning where it is earlier. */
async function setPracticeDay(now: Within, aheadMs: number, day: Day): Promise<void> {
  const { db: tx } = now
  const { timeZone } = await getSchool(tx)
  const today = await schoolDay(now)
  const days = Math.round((Date.parse(day) - Date.parse(today)) / DAY_MS)
  const hour = Number(
    new Intl.DateTimeFormat('en-GB', { timeZone, hour: '2-digit', hourCycle: 'h23' }).format(now.now()),
  )
  const toMorning = hour < 8 ? (8 - hour) * 3_600_000 : 0
  // Where somebody else has left this day already, it is not left twice.
  await tx
    .update(school)
    .set({ practiceAheadMs: aheadMs + days * DAY_MS + toMorning })
    .where(eq(school.practiceAheadMs, aheadMs))
}

async function eventsSince({ db }: Services, lastId: number): Promise<{ events: PastEvent[]; count: number }> {
  const where = and(gt(journal.id, lastId), eq(orders.mode, 'practice'), inArray(journal.what, REPORTED))
  const [[all], events] = await Promise.all([
    db.select({ n: count() }).from(journal).innerJoin(orders, eq(orders.id, journal.orderId)).where(where),
    db
      .select({
        at: journal.at,
        what: journal.what,
        data: journal.data,
        orderId: orders.id,
        number: orders.number,
        buyer: people.name,
      })
      .from(journal)
      .innerJoin(orders, eq(orders.id, journal.orderId))
      .innerJoin(people, eq(people.id, orders.personId))
      .where(where)
      .orderBy(desc(journal.id))
      .limit(MAX_REPORTED),
  ])
  return { events, count: all?.n ?? 0 }
}

const REPORTED = [
  'payment-collected',
  'payment-settled',
  'payment-declined',
  'agreement-stopped',
  'agreement-completed',
  'attempt-collected',
  'attempt-declined',
]
