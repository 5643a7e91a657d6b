import { and, asc, count, desc, eq, ne } from 'drizzle-orm'
import { inTransaction, type Services } from '../context.ts'
import type { Mode } from '../db/schema/columns.ts'
import { messages, people } from '../db/schema/index.ts'
import { Problem } from '../http/problem.ts'

/** So many failed messages are listed. */
const MAX_LISTED = 30

/** What waits to be sent in a mode, and what could not be: tried again by itself for more than a day. */
export async function openOutbox({ db }: Services, mode: Mode) {
  const [[waiting], failed] = await Promise.all([
    db
      .select({ n: count() })
      .from(messages)
      .where(and(eq(messages.mode, mode), eq(messages.state, 'waiting'))),
    db
      .select({
        id: messages.id,
        kind: messages.kind,
        to: people.email,
        why: messages.error,
        createdAt: messages.createdAt,
        orderId: messages.orderId,
      })
      .from(messages)
      .innerJoin(people, eq(people.id, messages.personId))
      .where(and(eq(messages.mode, mode), eq(messages.state, 'failed')))
      .orderBy(desc(messages.createdAt), asc(messages.id))
      .limit(MAX_LISTED),
  ])
  return { waiting: waiting?.n ?? 0, failed }
}

/** Sends a message anew that could not be sent, at once. @throws Problem 409 where it has been sent. */
export async function sendAgain(services: Services, mode: Mode, id: string): Promise<void> {
  await inTransaction(services, async ({ db: tx, jobs }) => {
    const [message] = await tx
      .update(messages)
      .set({ state: 'waiting', error: null })
      .where(
        and(eq(messages.id, id), eq(messages.mode, mode), ne(messages.state, 'sent'), ne(messages.state, 'dropped')),
      )
      .returning({ id: messages.id })
    if (!message) throw new Problem(409, 'sent', 'This message has been sent.')
    await jobs.send(tx, 'message-send', { messageId: id })
  })
}
