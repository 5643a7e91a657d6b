import { asc, eq, sql } from 'drizzle-orm'
import type { Queryable } from '../db/client.ts'
import { messages } from '../db/schema/index.ts'

/** Messages sent about an order or to a person, oldest first. */
export async function listMessages(db: Queryable, of: { personId: string } | { orderId: string }) {
  return db
    .select({
      id: messages.id,
      kind: messages.kind,
      state: messages.state,
      createdAt: messages.createdAt,
      sentAt: messages.sentAt,
      /** Its text is kept, and can be read and sent once more. */
      isKept: sql<boolean>`${messages.email} is not null`,
      isAgain: sql<boolean>`${messages.againOf} is not null`,
      to: messages.to,
      error: messages.error,
    })
    .from(messages)
    .where('personId' in of ? eq(messages.personId, of.personId) : eq(messages.orderId, of.orderId))
    .orderBy(asc(messages.createdAt), asc(messages.kind))
}
