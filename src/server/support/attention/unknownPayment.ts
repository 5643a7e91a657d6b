import { and, eq, sql } from 'drizzle-orm'
import { connections, unknownPayments } from '../../db/schema/index.ts'
import type { Finder } from './item.ts'
import { instant, MAX_LISTED, NOTHING } from './queries.ts'

/** Payments in a gateway’s books that no order knows. */
export const unknownPayment: Finder = ({ db, mode }) =>
  db
    .select({
      orderId: sql<string | null>`null`,
      number: sql<number | null>`null`,
      buyer: sql<string>`''`,
      course: connections.adapter,
      currency: unknownPayments.currency,
      amount: unknownPayments.amount,
      since: instant(unknownPayments.collectedAt),
      ...NOTHING,
      why: unknownPayments.about,
    })
    .from(unknownPayments)
    .innerJoin(connections, eq(connections.id, unknownPayments.connectionId))
    .where(and(eq(connections.mode, mode), eq(unknownPayments.state, 'open')))
    .limit(MAX_LISTED)
