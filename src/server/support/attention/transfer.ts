import { and, asc, eq, lt, sql } from 'drizzle-orm'
import { attempts, orders, people } from '../../db/schema/index.ts'
import type { Finder } from './item.ts'
import { cameOf, instant, MAX_LISTED, NOTHING, ORDER } from './queries.ts'

/** Transfers that are awaited for over a week. */
export const transfer: Finder = ({ db, mode, aWeekAgo }) =>
  db
    .select({
      ...ORDER,
      amount: sql<number>`(${attempts.amount} - ${cameOf})::float8`,
      since: instant(attempts.startedAt),
      ...NOTHING,
      came: cameOf,
    })
    .from(attempts)
    .innerJoin(orders, eq(orders.id, attempts.orderId))
    .innerJoin(people, eq(people.id, orders.personId))
    .where(and(eq(orders.mode, mode), eq(attempts.state, 'awaiting'), lt(attempts.startedAt, aWeekAgo)))
    .orderBy(asc(attempts.startedAt))
    .limit(MAX_LISTED)
