import type { Queryable } from '../db/client.ts'
import { type Insert, insertAll, rowsOf } from '../db/insertAll.ts'
import { journal } from '../db/schema/index.ts'
import type { About, Happened, JournalEntry, JournalEvent, Said } from './happened.ts'

export type { About, JournalEntry, JournalEvent } from './happened.ts'

/** Writes several things that happened at one moment, in their order, and what belongs to them, by one statement. */
export async function recordAll(
  tx: Queryable,
  at: Date,
  events: readonly JournalEvent[],
  rows: readonly Insert[] = [],
): Promise<void> {
  await insertAll(tx, ...rows, journalRows(at, events))
}

/** What happened, as rows that are written together with others. */
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
export async function record<K extends JournalEntry>(
  tx: Queryable,
  at: Date,
  about: About,
  what: K,
  ...[data]: Said<K> extends { data: Happened[K] } ? [data: Happened[K]] : []
): Promise<void> {
  await recordAll(tx, at, [{ about, what, data } as JournalEvent])
}
