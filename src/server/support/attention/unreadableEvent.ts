import { and, eq, gt, sql } from 'drizzle-orm'
import { connections, gatewayEvents } from '../../db/schema/index.ts'
import type { Finder } from './item.ts'
import { instant, MAX_LISTED, NOTHING } from './queries.ts'

/** Events that are rightly signed, and cannot be read. */
export const unreadableEvent: Finder = ({ db, mode, backThenAt }) =>
  db
    .select({
      orderId: sql<string | null>`null`,
      number: sql<number | null>`null`,
      buyer: sql<string>`''`,
      course: connections.adapter,
      currency: sql<string>`''`,
      amount: sql<number | null>`null`,
      since: instant(gatewayEvents.receivedAt),
      ...NOTHING,
      why: gatewayEvents.note,
    })
    .from(gatewayEvents)
    .innerJoin(connections, eq(connections.id, gatewayEvents.connectionId))
    .where(
      and(eq(connections.mode, mode), eq(gatewayEvents.state, 'unreadable'), gt(gatewayEvents.receivedAt, backThenAt)),
    )
    .limit(MAX_LISTED)
