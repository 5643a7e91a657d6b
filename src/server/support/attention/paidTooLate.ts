import { and, eq, gt, inArray, isNull, lte } from 'drizzle-orm'
import { grants, orderLines, orders, people } from '../../db/schema/index.ts'
import type { Finder } from './item.ts'
import { instant, leftOf, MAX_LISTED, NOTHING, OF_LINES } from './queries.ts'

/** Lines whose access had ended when their money came, as far as it was not refunded. */
export const paidTooLate: Finder = ({ db, mode }) => {
  const openedTooLate = db
    .select({ id: grants.lineId })
    .from(grants)
    .where(and(eq(grants.mode, mode), lte(grants.closes, grants.opens), isNull(grants.endedAt)))
  return db
    .select({ ...OF_LINES, amount: leftOf, since: instant(orders.paidAt), ...NOTHING })
    .from(orderLines)
    .innerJoin(orders, eq(orders.id, orderLines.orderId))
    .innerJoin(people, eq(people.id, orders.personId))
    .where(inArray(orderLines.id, openedTooLate))
    .groupBy(orders.id, people.id)
    .having(gt(leftOf, 0))
    .limit(MAX_LISTED)
}
