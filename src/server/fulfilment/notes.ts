import { and, eq, sql } from 'drizzle-orm'
import type { Outcome } from '../../gateways/contract.ts'
import type { Attempt } from '../charging/start.ts'
import { journal, type orders } from '../db/schema/index.ts'
import type { Happened } from '../journal/happened.ts'
import { recordAll } from '../journal/journal.ts'
import { bookSurplus } from '../ledger/book.ts'
import type { Within } from '../platform/context.ts'

export type { Attempt }
export type Order = typeof orders.$inferSelect

/** Who brought the news: the answer to our call, an event, or a look-up by key. */
export type Source = 'answer' | 'event' | 'lookup'

/** Money that a gateway took for what was paid, or closed, already: it is booked as the buyer's, and a person must see it. */
export async function noteSurplus(
  services: Within,
  order: Order,
  attempt: Attempt,
  { reference, amount, currency, fee }: Extract<Outcome, { state: 'collected' }>,
): Promise<void> {
  const { key } = attempt
  const isNew = await noteOnce(services, order, { what: 'attempt-surplus', data: { key, reference, amount, currency } })
  if (isNew) await bookSurplus(services, order, attempt, { amount, fee })
}

/** Notes something about an attempt that a person must see, once, however often the gateway says it. @returns whether it is new. */
export async function noteOnce(
  { db: tx, now }: Within,
  { id: orderId, personId }: Pick<Order, 'id' | 'personId'>,
  noted: Noted,
): Promise<boolean> {
  const same = and(
    eq(journal.orderId, orderId),
    eq(journal.what, noted.what),
    sql`${journal.data}->>'key' = ${noted.data.key}`,
  )
  if ((await tx.$count(journal, same)) > 0) return false
  await recordAll(tx, now(), [{ about: { orderId, personId }, ...noted }])
  return true
}

type Noted = {
  [K in 'attempt-mismatch' | 'attempt-surplus']: { what: K; data: Happened[K] }
}['attempt-mismatch' | 'attempt-surplus']
