import { and, eq, inArray, lt } from 'drizzle-orm'
import { attempts, orders, people } from '../../db/schema/index.ts'
import type { Finder } from './item.ts'
import { instant, MAX_LISTED, NOTHING, ORDER } from './queries.ts'

/** Attempts of which nobody knows what became of them. */
export const unknown: Finder = ({ db, mode, aWhileAgo }) =>
  db
    .select({ ...ORDER, amount: attempts.amount, since: instant(attempts.startedAt), ...NOTHING })
    .from(attempts)
    .innerJoin(orders, eq(orders.id, attempts.orderId))
    .innerJoin(people, eq(people.id, orders.personId))
    .where(
      and(eq(orders.mode, mode), inArray(attempts.state, ['started', 'unknown']), lt(attempts.startedAt, aWhileAgo)),
    )
    .limit(MAX_LISTED)
