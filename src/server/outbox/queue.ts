import { rowsOf } from '../db/insertAll.ts'
import { messages } from '../db/schema/index.ts'
import type { JournalEvent } from '../journal/journal.ts'
import type { Within } from '../platform/context.ts'

type NewMessage = Pick<
  typeof messages.$inferInsert,
  'mode' | 'kind' | 'personId' | 'orderId' | 'agreementId' | 'attemptId' | 'refundId' | 'courseTitle' | 'againOf'
>

/**
 * Makes the rows of a message: it is sent if, and only if, the transaction commits in which they are written.
 * @returns the rows, and what the caller writes into the journal.
 */
export function queueMessage(services: Within, message: NewMessage) {
  const {
    rows,
    queued: [queued],
  } = queueMessages(services, [message])
  return { rows, queued: queued as JournalEvent }
}

/** The same for several, in as many statements as for one. */
export function queueMessages({ jobs, now }: Within, all: readonly NewMessage[]) {
  if (all.length === 0) return { rows: [], queued: [] }
  const createdAt = now()
  const waiting = all.map((message) => ({
    ...message,
    id: crypto.randomUUID(),
    state: 'waiting' as const,
    createdAt,
  }))
  const sending = jobs.rows(
    'message-send',
    waiting.map(({ id }) => ({ messageId: id })),
  )
  const queued = all.map((about): JournalEvent => ({ about, what: 'message-queued', data: { kind: about.kind } }))
  return { rows: [rowsOf(messages, waiting), sending], queued }
}
