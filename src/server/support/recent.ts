import { and, eq, gte, sql } from 'drizzle-orm'
import { addDays, type Day } from '../../core/calendar/day.ts'
import type { Mode } from '../db/schema/columns.ts'
import { orders } from '../db/schema/index.ts'
import { movedBetween } from '../ledger/sums.ts'
import { inMode, type Services } from '../platform/context.ts'
import { getSchool, schoolDay } from '../school/service.ts'

/** A day's paid orders by the day on which they were placed, and what was received on it, in minor units. */
export interface RecentDay {
  day: Day
  orders: number
  received: number
}

/** A week, and the one that it is held against. */
const DAYS = 14

/** The last two weeks of a mode, day by day, today last, by the school's zone and the mode's clock. */
export async function recentDays(base: Services, mode: Mode): Promise<RecentDay[]> {
  const services = await inMode(base, mode)
  const { db } = services
  const [today, { timeZone }] = await Promise.all([schoolDay(services), getSchool(db)])
  const first = addDays(today, 1 - DAYS)
  const placedOn = sql<Day>`(${orders.createdAt} at time zone ${timeZone})::date::text`
  const [moved, placed] = await Promise.all([
    movedBetween(db, mode, first, today, {}),
    db
      .select({ day: placedOn, count: sql<number>`count(*)::int` })
      .from(orders)
      // A day more, in whatever zone: its own day decides.
      .where(and(eq(orders.mode, mode), eq(orders.state, 'paid'), gte(orders.createdAt, new Date(addDays(first, -1)))))
      .groupBy(sql`1`),
  ])
  return Array.from({ length: DAYS }, (_, index) => {
    const day = addDays(first, index)
    return {
      day,
      orders: placed.find((row) => row.day === day)?.count ?? 0,
      received: moved.find((row) => row.day === day)?.received ?? 0,
    }
  })
}
