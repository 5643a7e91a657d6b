import { messages } from '../db/schema/index.ts'
import type { Happening } from '../journal/journal.ts'
import type { Within } from '../platform/context.ts'

type NewMessage = Pick<
  typeof messages.$inferInsert,
  'mode' | 'kind' | 'personId' | 'orderId' | 'agreementId' | 'refundId' | 'courseTitle' | 'againOf'
>

/**
 * Queues a message in the caller's transaction: it is sent if, and only if, that commits.
 * @returns the statements on their way, and what the caller writes into the journal.
 */
export function queueMessage({ db: tx, jobs, now }: Within, message: NewMessage) {
  const id = crypto.randomUUID()
  const writes: PromiseLike<unknown>[] = [
    tx.insert(messages).values({ ...message, id, state: 'waiting', createdAt: now() }),
    jobs.send(tx, 'message-send', { messageId: id }),
  ]
  const queued: Happening = { about: message, what: 'message-queued', data: { kind: message.kind } }
  return { writes, queued }
}
