import { and, desc, eq, sql } from 'drizzle-orm'
import { messages, orderLines, orders, people } from '../../db/schema/index.ts'
import type { Finder } from './item.ts'
import { instant, MAX_LISTED, NOTHING } from './queries.ts'

/** Messages that could not be sent. */
export const messageFailed: Finder = ({ db, mode }) =>
  db
    .select({
      orderId: orders.id,
      personId: people.id,
      number: orders.number,
      buyer: people.name,
      course: sql<string>`coalesce((select l.title from ${orderLines} l
        where l.order_id = ${orders.id} order by l.position limit 1), ${people.email})`,
      currency: sql<string>`coalesce(${orders.currency}, '')`,
      amount: sql<number | null>`null`,
      since: instant(messages.createdAt),
      ...NOTHING,
      why: messages.error,
    })
    .from(messages)
    .leftJoin(orders, eq(orders.id, messages.orderId))
    .innerJoin(people, eq(people.id, messages.personId))
    .where(and(eq(messages.mode, mode), eq(messages.state, 'failed')))
    .orderBy(desc(messages.createdAt))
    .limit(MAX_LISTED)
