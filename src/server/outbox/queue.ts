import { insertAll, rowsOf } from '../db/insertAll.ts'
import { messages } from '../db/schema/index.ts'
import type { JournalEvent } from '../journal/journal.ts'
import type { Within } from '../platform/context.ts'

type NewMessage = Pick<
  typeof messages.$inferInsert,
  'mode' | 'kind' | 'personId' | 'orderId' | 'agreementId' | 'refundId' | 'courseTitle' | 'againOf'
>

/**
 * Queues a message in the caller's transaction: it is sent if, and only if, that commits.
 * @returns the statements on their way, and what the caller writes into the journal.
 */
export function queueMessage(services: Within, message: NewMessage) {
  const {
    writes,
    queued: [queued],
  } = queueMessages(services, [message])
  return { writes, queued: queued as JournalEvent }
}

/** The same for several, with as many statements as for one. */
export function queueMessages({ db: tx, jobs, now }: Within, all: readonly NewMessage[]) {
  if (all.length === 0) return { writes: [], queued: [] }
  const rows = all.map((message) => ({ ...message, id: crypto.randomUUID() }))
  const createdAt = now()
  const writes: PromiseLike<unknown>[] = [
    insertAll(
      tx,
      rowsOf(
        messages,
        rows.map((row) => ({ ...row, state: 'waiting' as const, createdAt })),
      ),
    ),
    jobs.sendAll(
      tx,
      'message-send',
      rows.map(({ id }) => ({ messageId: id })),
    ),
  ]
  const queued = all.map((about): JournalEvent => ({ about, what: 'message-queued', data: { kind: about.kind } }))
  return { writes, queued }
}
