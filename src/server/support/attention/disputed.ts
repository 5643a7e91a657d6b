import { and, eq } from 'drizzle-orm'
import { disputes, orders, people } from '../../db/schema/index.ts'
import type { Finder } from './item.ts'
import { instant, MAX_LISTED, NOTHING, ORDER } from './queries.ts'

/** Payments that their buyers dispute, and nobody has answered for. */
export const disputed: Finder = ({ db, mode }) =>
  db
    .select({
      ...ORDER,
      amount: disputes.amount,
      since: instant(disputes.createdAt),
      ...NOTHING,
      why: disputes.reason,
    })
    .from(disputes)
    .innerJoin(orders, eq(orders.id, disputes.orderId))
    .innerJoin(people, eq(people.id, orders.personId))
    .where(and(eq(orders.mode, mode), eq(disputes.state, 'open')))
    .limit(MAX_LISTED)
