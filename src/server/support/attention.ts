import { and, asc, desc, eq, gt, inArray, isNotNull, isNull, lt, lte, type SQL, sql } from 'drizzle-orm'
import { addDays, type Day } from '../../core/calendar/day.ts'
import type { Mode } from '../db/schema/columns.ts'
import {
  agreements,
  attempts,
  connections,
  disputes,
  gatewayEvents,
  grants,
  journal,
  messages,
  orderLines,
  orders,
  payments,
  people,
  refunds,
  transfers,
  unknownPayments,
} from '../db/schema/index.ts'
import { capabilitiesOf } from '../gateways/service.ts'
import type { JournalEntry } from '../journal/journal.ts'
import { untrustedClock } from '../platform/clock.ts'
import { inMode, type Services } from '../platform/context.ts'
import { getSchool, schoolDay } from '../school/service.ts'

/** What a person should look at, the most pressing first. */
export const ATTENTION_KINDS = [
  'clock',
  'disputed',
  'paid-twice',
  'paid-too-late',
  'dispute-lost',
  'surplus-transfer',
  'surplus',
  'mismatch',
  'code-over-limit',
  'unknown-payment',
  'unreadable-event',
  'refund-refused',
  'stopped',
  'late',
  'transfer',
  'unknown',
  'message-failed',
  'expiring',
] as const
export type AttentionKind = (typeof ATTENTION_KINDS)[number]

export interface AttentionItem {
  kind: AttentionKind
  /** Null where it belongs to no order. */
  orderId: string | null
  /** Where it belongs to a buyer, and to no order. */
  personId?: string
  number: number | null
  buyer: string
  /** The course, or the gateway where it belongs to no order. */
  course: string
  /** In minor units; null where it is not about money. */
  amount: number | null
  currency: string
  /** Since when: a date in the school's zone, or an instant. */
  since: string
  /** The day on which something happens by itself. */
  next: Day | null
  /** Of a transfer that is not complete: what has come. */
  came?: number
  /** Why, where the gateway or the mail server said so. */
  why: string | null
}

/** So many of one kind are listed. */
const MAX_LISTED = 40
/** What stopped, or went wrong, is looked at for so many days. */
const DAYS_BACK = 90
const AFTER_MINUTES = 10

/** Everything in a mode that needs a person's attention. */
export async function needsAttention(base: Services, mode: Mode): Promise<AttentionItem[]> {
  const services = await inMode(base, mode)
  const { db, now } = services
  const [today, { retryAfterDays }] = await Promise.all([schoolDay(services), getSchool(db)])
  const backThenAt = new Date(now().getTime() - DAYS_BACK * 86_400_000)
  const aWhileAgo = new Date(now().getTime() - AFTER_MINUTES * 60_000)
  const order = {
    orderId: orders.id,
    number: orders.number,
    buyer: people.name,
    course: sql<string>`(select string_agg(l.title, ', ' order by l.position) from ${orderLines} l where l.order_id = ${orders.id})`,
    currency: orders.currency,
  }
  const nothing = { next: sql<Day | null>`null`, why: sql<string | null>`null` }
  const nextPayment = sql<number>`coalesce((select p.pay from ${payments} p
    where p.line_id = ${agreements.lineId} and p.n = ${agreements.collected} + 1), 0)::float8`
  const lastReason = sql<string | null>`(select a.reason from ${attempts} a
    where a.agreement_id = ${agreements.id} order by a.started_at desc limit 1)`

  /** What was received for lines and not refunded. */
  const leftOf = sql<number>`sum((select coalesce(sum(p.pay), 0) from ${payments} p
      where p.line_id = ${orderLines.id} and p.state = 'collected')
    - (select coalesce(sum(r.amount), 0) from ${refunds} r
      where r.line_id = ${orderLines.id} and r.state <> 'refused'))::float8`
  const oneOf = { ...order, course: sql<string>`string_agg(${orderLines.title}, ', ' order by ${orderLines.position})` }

  const openedTooLate = db
    .select({ id: grants.lineId })
    .from(grants)
    .where(and(eq(grants.mode, mode), lte(grants.closes, grants.opens), isNull(grants.endedAt)))

  const cameOf = sql<number>`coalesce((select sum(t.amount) from ${transfers} t
    where t.attempt_id = ${attempts.id} and t.taken_back_at is null and not t.is_surplus), 0)::float8`

  const ofAgreements = (where: SQL | undefined, by: SQL | undefined = undefined) =>
    db
      .select({
        ...order,
        amount: nextPayment,
        since: sql<string>`coalesce(${agreements.firstTried}, ${agreements.lastCollected})::text`,
        next: agreements.nextTry,
        why: lastReason,
      })
      .from(agreements)
      .innerJoin(orders, eq(orders.id, agreements.orderId))
      .innerJoin(people, eq(people.id, orders.personId))
      .where(and(eq(agreements.mode, mode), where))
      .orderBy(by ?? asc(agreements.firstTried))
      .limit(MAX_LISTED)

  const ofJournal = (what: JournalEntry) =>
    db
      .select({
        ...order,
        amount: sql<number | null>`(${journal.data}->>'amount')::float8`,
        since: instant(journal.at),
        ...nothing,
        why: sql<string | null>`${journal.data}->>'code'`,
      })
      .from(journal)
      .innerJoin(orders, eq(orders.id, journal.orderId))
      .innerJoin(people, eq(people.id, orders.personId))
      .where(and(eq(orders.mode, mode), eq(journal.what, what), gt(journal.at, backThenAt)))
      .limit(MAX_LISTED)

  const found: Record<AttentionKind, PromiseLike<Omit<AttentionItem, 'kind'>[]>> = {
    late: ofAgreements(and(eq(agreements.state, 'active'), gt(agreements.tries, 0))),
    stopped: ofAgreements(
      and(
        eq(agreements.state, 'stopped'),
        eq(agreements.kind, 'installments'),
        // Who was stopped by hand is not retried any more, on purpose. It stands here until it is paid or written off.
        gt(agreements.tries, retryAfterDays.length),
      ),
      desc(agreements.lastCollected),
    ),
    expiring: ofAgreements(
      and(
        eq(agreements.state, 'active'),
        eq(agreements.tries, 0),
        lte(agreements.nextTry, addDays(today, 14)),
        sql`${agreements.expires} < ${agreements.nextTry}`,
      ),
      asc(agreements.nextTry),
    ),
    disputed: db
      .select({
        ...order,
        amount: disputes.amount,
        since: instant(disputes.createdAt),
        ...nothing,
        why: disputes.reason,
      })
      .from(disputes)
      .innerJoin(orders, eq(orders.id, disputes.orderId))
      .innerJoin(people, eq(people.id, orders.personId))
      .where(and(eq(orders.mode, mode), eq(disputes.state, 'open')))
      .limit(MAX_LISTED),
    'dispute-lost': db
      .select({
        ...order,
        amount: disputes.amount,
        since: instant(disputes.decidedAt),
        ...nothing,
        why: disputes.reason,
      })
      .from(disputes)
      .innerJoin(orders, eq(orders.id, disputes.orderId))
      .innerJoin(people, eq(people.id, orders.personId))
      .where(and(eq(orders.mode, mode), eq(disputes.state, 'lost'), isNull(disputes.accessDecidedAt)))
      .limit(MAX_LISTED),
    'surplus-transfer': db
      .select({
        ...order,
        amount: sql<number>`sum(${transfers.amount})::float8`,
        since: sql<string>`min(${transfers.day})::text`,
        ...nothing,
      })
      .from(transfers)
      .innerJoin(orders, eq(orders.id, transfers.orderId))
      .innerJoin(people, eq(people.id, orders.personId))
      .where(
        and(
          eq(orders.mode, mode),
          eq(transfers.isSurplus, true),
          isNull(transfers.givenBackOn),
          isNull(transfers.takenBackAt),
        ),
      )
      .groupBy(orders.id, people.id)
      .limit(MAX_LISTED),
    'paid-twice': db
      .select({ ...oneOf, amount: leftOf, since: instant(orders.paidAt), ...nothing })
      .from(orderLines)
      .innerJoin(orders, eq(orders.id, orderLines.orderId))
      .innerJoin(people, eq(people.id, orders.personId))
      .where(and(eq(orders.mode, mode), isNotNull(orderLines.duplicateOf)))
      .groupBy(orders.id, people.id)
      .having(gt(leftOf, 0))
      .limit(MAX_LISTED),
    'paid-too-late': db
      .select({ ...oneOf, amount: leftOf, since: instant(orders.paidAt), ...nothing })
      .from(orderLines)
      .innerJoin(orders, eq(orders.id, orderLines.orderId))
      .innerJoin(people, eq(people.id, orders.personId))
      .where(inArray(orderLines.id, openedTooLate))
      .groupBy(orders.id, people.id)
      .having(gt(leftOf, 0))
      .limit(MAX_LISTED),
    'refund-refused': db
      .select({ ...order, amount: refunds.amount, since: instant(refunds.createdAt), ...nothing, why: refunds.why })
      .from(refunds)
      .innerJoin(orders, eq(orders.id, refunds.orderId))
      .innerJoin(people, eq(people.id, orders.personId))
      .where(and(eq(orders.mode, mode), eq(refunds.state, 'refused'), gt(refunds.createdAt, backThenAt)))
      .limit(MAX_LISTED),
    transfer: db
      .select({
        ...order,
        amount: sql<number>`(${attempts.amount} - ${cameOf})::float8`,
        since: instant(attempts.startedAt),
        ...nothing,
        came: cameOf,
      })
      .from(attempts)
      .innerJoin(orders, eq(orders.id, attempts.orderId))
      .innerJoin(people, eq(people.id, orders.personId))
      .where(
        and(
          eq(orders.mode, mode),
          eq(attempts.state, 'awaiting'),
          lt(attempts.startedAt, new Date(now().getTime() - 7 * 86_400_000)),
        ),
      )
      .orderBy(asc(attempts.startedAt))
      .limit(MAX_LISTED),
    unknown: db
      .select({ ...order, amount: attempts.amount, since: instant(attempts.startedAt), ...nothing })
      .from(attempts)
      .innerJoin(orders, eq(orders.id, attempts.orderId))
      .innerJoin(people, eq(people.id, orders.personId))
      .where(
        and(eq(orders.mode, mode), inArray(attempts.state, ['started', 'unknown']), lt(attempts.startedAt, aWhileAgo)),
      )
      .limit(MAX_LISTED),
    clock: untrustedClocks(db, mode),
    surplus: ofJournal('attempt-surplus'),
    mismatch: ofJournal('attempt-mismatch'),
    'code-over-limit': ofJournal('code-over-limit'),
    'unknown-payment': db
      .select({
        orderId: sql<string | null>`null`,
        number: sql<number | null>`null`,
        buyer: sql<string>`''`,
        course: connections.adapter,
        currency: unknownPayments.currency,
        amount: unknownPayments.amount,
        since: instant(unknownPayments.collectedAt),
        ...nothing,
        why: unknownPayments.about,
      })
      .from(unknownPayments)
      .innerJoin(connections, eq(connections.id, unknownPayments.connectionId))
      .where(and(eq(connections.mode, mode), eq(unknownPayments.state, 'open')))
      .limit(MAX_LISTED),
    'unreadable-event': db
      .select({
        orderId: sql<string | null>`null`,
        number: sql<number | null>`null`,
        buyer: sql<string>`''`,
        course: connections.adapter,
        currency: sql<string>`''`,
        amount: sql<number | null>`null`,
        since: instant(gatewayEvents.receivedAt),
        ...nothing,
        why: gatewayEvents.note,
      })
      .from(gatewayEvents)
      .innerJoin(connections, eq(connections.id, gatewayEvents.connectionId))
      .where(
        and(
          eq(connections.mode, mode),
          eq(gatewayEvents.state, 'unreadable'),
          gt(gatewayEvents.receivedAt, backThenAt),
        ),
      )
      .limit(MAX_LISTED),
    'message-failed': db
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
        ...nothing,
        why: messages.error,
      })
      .from(messages)
      .leftJoin(orders, eq(orders.id, messages.orderId))
      .innerJoin(people, eq(people.id, messages.personId))
      .where(and(eq(messages.mode, mode), eq(messages.state, 'failed')))
      .orderBy(desc(messages.createdAt))
      .limit(MAX_LISTED),
  }
  const all = await Promise.all(
    ATTENTION_KINDS.map(async (kind) => (await found[kind]).map((item) => ({ kind, ...item }))),
  )
  const named = (item: AttentionItem): AttentionItem =>
    item.orderId === null && !item.personId && item.kind !== 'clock'
      ? { ...item, course: capabilitiesOf(services.gateways, item.course).name }
      : item
  return all.flat().map(named)
}

/** A process whose clock differs from the database's: it collects no real money. */
async function untrustedClocks(db: Services['db'], mode: Mode): Promise<Omit<AttentionItem, 'kind'>[]> {
  const clock = mode === 'live' ? await untrustedClock(db) : null
  if (!clock) return []
  const nothing = {
    orderId: null,
    number: null,
    buyer: '',
    course: 'Collecting',
    amount: null,
    currency: '',
    next: null,
  }
  return [{ ...nothing, since: clock.at.toISOString(), why: clock.says }]
}

function instant(column: Parameters<typeof desc>[0]): SQL<string> {
  return sql<string>`to_char(${column} at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"')`
}
