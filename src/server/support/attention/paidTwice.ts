import { and, eq, gt, isNotNull } from 'drizzle-orm'
import { orderLines, orders, people } from '../../db/schema/index.ts'
import type { Finder } from './item.ts'
import { instant, leftOf, MAX_LISTED, NOTHING, OF_LINES } from './queries.ts'

/** Lines that another order had opened when their money came, as far as it was not refunded. */
export const paidTwice: Finder = ({ db, mode }) =>
  db
    .select({ ...OF_LINES, amount: leftOf, since: instant(orders.paidAt), ...NOTHING })
    .from(orderLines)
    .innerJoin(orders, eq(orders.id, orderLines.orderId))
    .innerJoin(people, eq(people.id, orders.personId))
    .where(and(eq(orders.mode, mode), isNotNull(orderLines.duplicateOf)))
    .groupBy(orders.id, people.id)
    .having(gt(leftOf, 0))
    .limit(MAX_LISTED)
