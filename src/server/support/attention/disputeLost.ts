import { and, eq, isNull } from 'drizzle-orm'
import { disputes, orders, people } from '../../db/schema/index.ts'
import type { Finder } from './item.ts'
import { instant, MAX_LISTED, NOTHING, ORDER } from './queries.ts'

/** Disputes that were lost, and of which nobody has said what becomes of the access. */
export const disputeLost: Finder = ({ db, mode }) =>
  db
    .select({
      ...ORDER,
      amount: disputes.amount,
      since: instant(disputes.decidedAt),
      ...NOTHING,
      why: disputes.reason,
    })
    .from(disputes)
    .innerJoin(orders, eq(orders.id, disputes.orderId))
    .innerJoin(people, eq(people.id, orders.personId))
    .where(and(eq(orders.mode, mode), eq(disputes.state, 'lost'), isNull(disputes.accessDecidedAt)))
    .limit(MAX_LISTED)
