import type { Queryable } from '../db/client.ts'
import { type Insert, insertAll, rowsOf } from '../db/insertAll.ts'
import { journal } from '../db/schema/index.ts'

/** What a journal can say; the screens put it in words. */
export type JournalEntry =
  | 'order-placed'
  | 'order-changed'
  | 'attempt-started'
  | 'attempt-unknown'
  | 'attempt-confirming'
  | 'attempt-awaiting'
  | 'attempt-declined'
  | 'attempt-abandoned'
  | 'attempt-collected'
  | 'attempt-surplus'
  | 'charging-again'
  | 'attempt-mismatch'
  | 'order-paid'
  | 'order-paid-twice'
  | 'agreement-begun'
  | 'agreement-goes-on'
  | 'agreement-stopped'
  | 'agreement-completed'
  | 'agreement-cancelled'
  | 'payment-collected'
  | 'payment-settled'
  | 'payment-declined'
  | 'due-moved'
  | 'cancel-taken-back'
  | 'written-off'
  | 'transfer-came'
  | 'transfer-taken-back'
  | 'transfer-given-up'
  | 'transfer-ended'
  | 'transfer-waits-again'
  | 'refund-started'
  | 'refunded'
  | 'refund-refused'
  | 'dispute-opened'
  | 'dispute-answered'
  | 'dispute-ended'
  | 'dispute-decided'
  | 'transfer-surplus'
  | 'transfer-given-back'
  | 'person-joined'
  | 'person-erased'
  | 'address-changed'
  | 'code-over-limit'
  | 'code-given-back'
  | 'code-released'
  | 'method-changed'
  | 'course-opened'
  | 'course-given'
  | 'course-taken-back'
  | 'course-shut'
  | 'message-queued'
  | 'message-sent'
  | 'message-failed'
  | 'message-off'
  | 'password-set'
  | 'email-changed'
  | 'name-changed'

export interface About {
  orderId?: string | null
  personId?: string | null
}

/** One thing that happened, not written yet. */
export interface JournalEvent {
  about: About
  what: JournalEntry
  data?: Record<string, string | number | null>
}

/** Writes several things that happened at one moment, in their order. */
export async function recordAll(tx: Queryable, at: Date, events: readonly JournalEvent[]): Promise<void> {
  await insertAll(tx, journalRows(at, events))
}

/** The same, to be written together with other rows. */
export function journalRows(at: Date, events: readonly JournalEvent[]): Insert {
  return rowsOf(
    journal,
    events.map(({ about, what, data = {} }) => ({
      orderId: about.orderId ?? null,
      personId: about.personId ?? null,
      at,
      what,
      data,
    })),
  )
}

/** Writes what happened, in the caller's transaction. */
export async function record(
  tx: Queryable,
  at: Date,
  about: About,
  what: JournalEntry,
  data: Record<string, string | number | null> = {},
): Promise<void> {
  await recordAll(tx, at, [{ about, what, data }])
}
