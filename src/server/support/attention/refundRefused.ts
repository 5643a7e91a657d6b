import { and, eq, gt } from 'drizzle-orm'
import { orders, people, refunds } from '../../db/schema/index.ts'
import type { Finder } from './item.ts'
import { instant, MAX_LISTED, NOTHING, ORDER } from './queries.ts'

/** Refunds that the gateway refused. */
export const refundRefused: Finder = ({ db, mode, backThenAt }) =>
  db
    .select({ ...ORDER, amount: refunds.amount, since: instant(refunds.createdAt), ...NOTHING, why: refunds.why })
    .from(refunds)
    .innerJoin(orders, eq(orders.id, refunds.orderId))
    .innerJoin(people, eq(people.id, orders.personId))
    .where(and(eq(orders.mode, mode), eq(refunds.state, 'refused'), gt(refunds.createdAt, backThenAt)))
    .limit(MAX_LISTED)
