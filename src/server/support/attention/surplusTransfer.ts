import { and, eq, isNull, sql } from 'drizzle-orm'
import { orders, people, transfers } from '../../db/schema/index.ts'
import type { Finder } from './item.ts'
import { MAX_LISTED, NOTHING, ORDER } from './queries.ts'

/** More came by transfer than was asked for. */
export const surplusTransfer: Finder = ({ db, mode }) =>
  db
    .select({
      ...ORDER,
      amount: sql<number>`sum(${transfers.amount})::float8`,
      since: sql<string>`min(${transfers.day})::text`,
      ...NOTHING,
    })
    .from(transfers)
    .innerJoin(orders, eq(orders.id, transfers.orderId))
    .innerJoin(people, eq(people.id, orders.personId))
    .where(
      and(
        eq(orders.mode, mode),
        eq(transfers.isSurplus, true),
        isNull(transfers.givenBackOn),
        isNull(transfers.takenBackAt),
      ),
    )
    .groupBy(orders.id, people.id)
    .limit(MAX_LISTED)
