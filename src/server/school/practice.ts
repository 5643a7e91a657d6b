import { and, asc, count, eq, gt, isNotNull, ne, sql } from 'drizzle-orm'
import { addDays, type Day, later } from '../../core/calendar/day.ts'
import { BANK_TRANSFER_ID } from '../../gateways/bankTransfer.ts'
import { lookUpAwaited } from '../checkout/lookup.ts'
import { agreementsDue, collectAgreement } from '../collecting/collect.ts'
import { announceIn } from '../collecting/expiry.ts'
import { inMode, type Services } from '../context.ts'
import {
  agreements,
  attempts,
  connections,
  grants,
  journal,
  messages,
  moneyDeltas,
  moneySums,
  orders,
  payments,
  people,
  school,
} from '../db/schema/index.ts'
import { Problem } from '../http/problem.ts'
import { getSchool, schoolDay } from './service.ts'

const DAY_MS = 86_400_000
/** One move goes at most so far. */
export const MOST_DAYS = 400
const MESSAGES_MS = 1500

/** What a move of practice time brought, in the order of happening. */
export interface Moved {
  day: Day
  happened: {
    at: Date
    what: string
    orderId: string | null
    number: number | null
    buyer: string | null
    data: Record<string, string | number | null>
  }[]
}

/** Practice time: its day, how far ahead it runs, and the next day on which something comes by itself. */
export async function practiceClock(base: Services) {
  const services = await inMode(base, 'practice')
  const day = await schoolDay(services)
  const [{ practiceAheadMs }, next] = await Promise.all([getSchool(base.db), nextEvent(services, day)])
  return { day, daysAhead: Math.round(practiceAheadMs / DAY_MS), next }
}

async function nextEvent({ db }: Services, today: Day): Promise<Day | null> {
  const [row] = await db
    .select({ on: sql<string | null>`min(${agreements.nextTry})` })
    .from(agreements)
    .where(and(eq(agreements.mode, 'practice'), isNotNull(agreements.nextTry)))
  const [awaited] = await db
    .select({ n: count() })
    .from(attempts)
    .innerJoin(connections, eq(connections.id, attempts.connectionId))
    .where(
      and(eq(connections.mode, 'practice'), ne(connections.adapter, BANK_TRANSFER_ID), eq(attempts.state, 'awaiting')),
    )
  // Money that comes hours later is there on the next day.
  const tomorrow = (awaited?.n ?? 0) > 0 ? addDays(today, 1) : null
  return [row?.on ?? null, tomorrow].filter((day) => day !== null).sort()[0] ?? null
}

/**
 * Moves practice time forward by days, or to the next event, and lets everything come that comes on the way, day
 * by day as it would in life. Live time cannot move.
 * @throws Problem 409 where no event is to come.
 */
export async function movePractice(base: Services, to: { days: number } | 'next'): Promise<Moved> {
  const [last] = await base.db.select({ id: sql<number>`coalesce(max(${journal.id}), 0)::float8` }).from(journal)
  const now = await inMode(base, 'practice')
  const today = await schoolDay(now)
  const next = await nextEvent(now, today)
  if (to === 'next' && !next)
    throw new Problem(409, 'no-event', 'Nothing is to come in Practice: no agreement goes on.')
  const target = to === 'next' ? (next as Day) : addDays(today, to.days)
  const reached = later(target, today)
  for (let day = today; ; ) {
    await workNow(base)
    const coming = await nextEvent(now, day)
    const following = coming !== null && coming > day && coming <= reached ? coming : reached
    if (following === day) break
    day = following
    await setPracticeDay(base, day)
  }
  const services = await inMode(base, 'practice')
  return { day: await schoolDay(services), happened: await happenedSince(base, last?.id ?? 0) }
}

/** Does what is due at this moment of practice, until nothing is left, and lets its messages go. */
async function workNow(base: Services): Promise<void> {
  for (let round = 0; round < 50; round++) {
    const due = await agreementsDue(base, 'practice')
    for (const id of due) await collectAgreement(base, id)
    if (due.length === 0) break
  }
  await lookUpAwaited(base, 'practice')
  await announceIn(base, 'practice')
  // A message says how things stand when it is sent; those of this day go before the next one comes.
  const until = Date.now() + MESSAGES_MS
  while (Date.now() < until && (await waiting(base)) > 0) await new Promise((resolve) => setTimeout(resolve, 100))
}

async function waiting({ db }: Services): Promise<number> {
  const [row] = await db
    .select({ n: count() })
    .from(messages)
    .where(and(eq(messages.mode, 'practice'), eq(messages.state, 'waiting')))
  return row?.n ?? 0
}

/** Sets practice time to a day, at the same time of day as now, or at eight in the morning where it is earlier. */
async function setPracticeDay(base: Services, day: Day): Promise<void> {
  const { timeZone } = await getSchool(base.db)
  const services = await inMode(base, 'practice')
  const today = await schoolDay(services)
  const days = Math.round((Date.parse(day) - Date.parse(today)) / DAY_MS)
  const at = services.now()
  const hour = Number(new Intl.DateTimeFormat('en-GB', { timeZone, hour: '2-digit', hourCycle: 'h23' }).format(at))
  const toMorning = hour < 8 ? (8 - hour) * 3_600_000 : 0
  await base.db.update(school).set({ practiceAheadMs: sql`${school.practiceAheadMs} + ${days * DAY_MS + toMorning}` })
}

async function happenedSince({ db }: Services, lastId: number): Promise<Moved['happened']> {
  const rows = await db
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
    .where(and(gt(journal.id, lastId), eq(orders.mode, 'practice')))
    .orderBy(asc(journal.id))
    .limit(2000)
  return rows.filter(({ what }) => TOLD.has(what))
}

const TOLD = new Set([
  'payment-collected',
  'payment-settled',
  'payment-declined',
  'agreement-stopped',
  'agreement-completed',
  'attempt-collected',
  'attempt-declined',
])

/** Deletes everything of practice: orders, buyers, messages. Courses, offers and connections stay, live data too. */
export async function clearPractice({ db }: Services): Promise<void> {
  await db.transaction(async (tx) => {
    await tx.delete(messages).where(eq(messages.mode, 'practice'))
    await tx.delete(grants).where(eq(grants.mode, 'practice'))
    await tx.delete(payments).where(eq(payments.mode, 'practice'))
    await tx.delete(agreements).where(eq(agreements.mode, 'practice'))
    await tx.delete(orders).where(eq(orders.mode, 'practice'))
    await tx.delete(moneyDeltas).where(eq(moneyDeltas.mode, 'practice'))
    await tx.delete(moneySums).where(eq(moneySums.mode, 'practice'))
    await tx.delete(people).where(eq(people.mode, 'practice'))
    await tx.update(school).set({ practiceAheadMs: 0 })
    await tx.execute(sql`select setval('practice_order_numbers', 1001, false)`)
  })
}
