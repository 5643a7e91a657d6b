import { and, eq, inArray, sql } from 'drizzle-orm'
import { afterCollected, afterDeclined } from '../../core/collecting/agreement.ts'
import { split } from '../../core/money/arithmetic.ts'
import type { Outcome } from '../../gateways/contract.ts'
import { type LoadedAgreement, saveAgreement, saveAgreements } from '../agreements/agreements.ts'
import { agreements, attempts, OPEN_ATTEMPTS, payments } from '../db/schema/index.ts'
import type { MessageKind } from '../db/schema/messages.ts'
import { type JournalEvent, recordAll } from '../journal/journal.ts'
import { bookLater } from '../ledger/book.ts'
import { queueMessages } from '../outbox/queue.ts'
import type { Within } from '../platform/context.ts'
import type { Attempt, Order, Source } from './notes.ts'
import { partiesOf } from './parties.ts'

type Collected = Extract<Outcome, { state: 'collected' }>
type Declined = Pick<Extract<Outcome, { state: 'declined' }>, 'reference' | 'reason' | 'method'>

/** A later payment that a gateway says it collected, with its agreement as it stands. */
export interface Later {
  order: Order
  held: LoadedAgreement
  attempt: Attempt
  outcome: Collected
  source: Source
}

/** The payments that an attempt is for. */
function coveredBy({ held, attempt }: Pick<Later, 'held' | 'attempt'>) {
  return held.scheduled.filter(({ n }) => n >= (attempt.fromN ?? 0) && n <= (attempt.toN ?? 0))
}

/** Whether what an attempt collected is the agreement's next payments, none of which is paid. */
export function isNext(later: Pick<Later, 'held' | 'attempt'>): boolean {
  const { agreement } = later.held
  const [first] = coveredBy(later)
  // They are collected in their order, so that none after the next one is paid.
  return first !== undefined && first.n === agreement.payments[agreement.collected]?.n
}

/**
 * Writes down what follows from later payments that were collected, of agreements that differ, with as many statements
 * for many as for one. Their orders are locked by the caller, who has looked that each {@link isNext}.
 */
export async function writeCollected(services: Within, all: readonly Later[]): Promise<void> {
  const { db: tx } = services
  const at = services.now()
  const settled = all.map((later) => {
    const { id, connectionId } = later.attempt
    const { reference, fee, method, savedMethod, expires } = later.outcome
    const covered = coveredBy(later)
    const fees = split(
      fee,
      covered.map(({ pay }) => pay),
    )
    const paid = covered.map((payment, index) => ({ ...payment, fee: fees[index] as number }))
    return { ...later, paid, row: { id, connectionId, reference, fee, method, savedMethod, expires } }
  })
  const attemptRows = sql`jsonb_to_recordset(${JSON.stringify(settled.map(({ row }) => row))}::jsonb)
    as r (id uuid, reference text, fee bigint, method text, "savedMethod" text, expires date)`
  const paymentRows = settled.flatMap(({ attempt, paid }) =>
    paid.map(({ id, fee }) => ({ id, attempt_id: attempt.id, fee })),
  )
  await Promise.all([
    tx.execute(sql`update ${attempts} a set state = 'collected', reference = r.reference, fee = r.fee, method = r.method,
      saved_method = r."savedMethod", expires = r.expires, reason = null, settled_at = ${at}, confirm_url = null,
      parties = ${partiesOf(sql`a.order_id`)}
      from ${attemptRows} where a.id = r.id`),
    tx.execute(sql`update ${payments} p set state = 'collected', attempt_id = r.attempt_id, collected_at = ${at}, fee = r.fee
      from jsonb_to_recordset(${JSON.stringify(paymentRows)}::jsonb) as r (id uuid, attempt_id uuid, fee bigint)
      where p.id = r.id`),
    // Whoever pays by hand with a new method has the later payments charged to it too.
    ...settled.flatMap(({ attempt, held, row: { connectionId, savedMethod, method, expires } }) =>
      savedMethod && attempt.madeBy === 'buyer'
        ? [
            tx
              .update(agreements)
              .set({ connectionId, savedMethod, method, expires })
              .where(eq(agreements.id, held.row.id)),
          ]
        : [],
    ),
  ])
  await Promise.all([
    bookLater(
      services,
      settled.map(({ order, attempt, held: { line }, paid }) => ({ order, attempt, line, paid })),
    ),
    advanceAll(
      services,
      settled.map(({ order, attempt, held, outcome, source, paid }) => ({
        held,
        count: paid.length,
        day: attempt.day,
        attemptId: attempt.id,
        events: paid.map(({ n, pay }): JournalEvent => {
          const { currency, reference, method } = outcome
          const about = { orderId: order.id, personId: order.personId }
          return { about, what: 'payment-collected', data: { n, amount: pay, currency, reference, method, source } }
        }),
      })),
    ),
  ])
}

/** An agreement whose next payments are settled on a day, and what is written of it before. */
interface Advancing {
  held: LoadedAgreement
  count: number
  day: string
  events: JournalEvent[]
  /** What collected them, of which the buyer is told; null where nothing was paid. */
  attemptId: string | null
}

/** Agreements after their next payments came: how each stands then, what is told and written of it. */
export async function advanceAll(services: Within, all: readonly Advancing[]): Promise<void> {
  const { db: tx } = services
  const next = all.map(({ held, count, day }) => {
    let agreement = held.agreement
    for (let done = 0; done < count; done++) agreement = afterCollected(agreement, day)
    return agreement
  })
  const notified = all.filter(({ attemptId }) => attemptId !== null)
  const { rows, queued } = queueMessages(
    services,
    notified.map(({ held: { order, row }, attemptId }) => ({
      mode: order.mode,
      kind: 'collected' as const,
      personId: order.personId,
      orderId: order.id,
      agreementId: row.id,
      attemptId,
    })),
  )
  const messageOf = new Map(notified.map((one, index) => [one, queued[index] as JournalEvent]))
  const events = all.flatMap((one, index): JournalEvent[] => {
    const { held } = one
    const about = { orderId: held.order.id, personId: held.order.personId }
    const state = next[index]?.state
    const message = messageOf.get(one)
    return [
      ...one.events,
      ...(held.agreement.state === 'stopped' && state === 'active'
        ? [{ about, what: 'agreement-goes-on' as const }]
        : []),
      ...(state === 'completed' ? [{ about, what: 'agreement-completed' as const }] : []),
      ...(message ? [message] : []),
    ]
  })
  await Promise.all([
    saveAgreements(
      tx,
      all.map(({ held }, index) => ({ held, next: next[index] as LoadedAgreement['agreement'] })),
    ),
    recordAll(tx, services.now(), events, rows),
  ])
}

/** What follows from a try that was declined: another later, or the agreement stops. The order is locked by the caller. */
export async function laterDeclined(
  services: Within,
  { order, held, attempt, outcome, source }: Omit<Later, 'outcome'> & { outcome: Declined },
): Promise<void> {
  const { db: tx } = services
  const at = services.now()
  const { reference, reason, method } = outcome
  const { row } = held
  const about = { orderId: order.id, personId: order.personId }
  await tx
    .update(attempts)
    .set({ state: 'declined', reference, reason, method, settledAt: at, confirmUrl: null })
    .where(and(eq(attempts.id, attempt.id), inArray(attempts.state, [...OPEN_ATTEMPTS])))
  const { amount, currency } = attempt
  const events: JournalEvent[] = [
    {
      about,
      what: 'payment-declined',
      data: { n: attempt.fromN, amount, currency, reason, reference, method, source },
    },
  ]
  const isTry = attempt.madeBy === 'worker' && held.agreement.state === 'active'
  // Tries of the worker count; paying by hand is none. What was paid or ended meanwhile is left as it is.
  if (!isTry || held.agreement.payments[held.agreement.collected]?.n !== attempt.fromN) {
    return recordAll(tx, at, events)
  }
  const next = afterDeclined(held.agreement, held.retryAfterDays, attempt.day)
  await saveAgreement(tx, held, next)
  if (next.state === 'stopped') events.push({ about, what: 'agreement-stopped' })
  const isOver = next.state === 'stopped'
  const message = { mode: order.mode, personId: order.personId, orderId: order.id, agreementId: row.id }
  // The creator hears of the first try that failed and of the end; what is between stands under what needs attention.
  const kinds: MessageKind[] = [
    isOver ? 'stopped' : 'declined',
    ...(isOver || next.tries === 1 ? [isOver ? ('creator-stopped' as const) : ('creator-declined' as const)] : []),
  ]
  const { rows, queued } = queueMessages(
    services,
    kinds.map((kind) => ({ ...message, kind })),
  )
  await recordAll(tx, at, [...events, ...queued], rows)
}
