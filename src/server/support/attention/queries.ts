import { and, asc, type desc, eq, gt, type SQL, sql } from 'drizzle-orm'
import type { Day } from '../../../core/calendar/day.ts'
import {
  agreements,
  attempts,
  journal,
  orderLines,
  orders,
  payments,
  people,
  refunds,
  transfers,
} from '../../db/schema/index.ts'
import type { JournalEntry } from '../../journal/journal.ts'
import type { Looking } from './item.ts'

/** So many of one kind are listed. */
export const MAX_LISTED = 40

/** What is told of an order. */
export const ORDER = {
  orderId: orders.id,
  number: orders.number,
  buyer: people.name,
  course: sql<string>`(select string_agg(l.title, ', ' order by l.position) from ${orderLines} l where l.order_id = ${orders.id})`,
  currency: orders.currency,
}

export const NOTHING = { next: sql<Day | null>`null`, why: sql<string | null>`null` }

const nextPayment = sql<number>`coalesce((select p.pay from ${payments} p
  where p.line_id = ${agreements.lineId} and p.n = ${agreements.collected} + 1), 0)::float8`
const lastReason = sql<string | null>`(select a.reason from ${attempts} a
  where a.agreement_id = ${agreements.id} order by a.started_at desc limit 1)`

/** What was received for lines and not refunded. */
export const leftOf = sql<number>`sum((select coalesce(sum(p.pay), 0) from ${payments} p
    where p.line_id = ${orderLines.id} and p.state = 'collected')
  - (select coalesce(sum(r.amount), 0) from ${refunds} r
    where r.line_id = ${orderLines.id} and r.state <> 'refused'))::float8`
/** The same where some lines of it are meant. */
export const OF_LINES = {
  ...ORDER,
  course: sql<string>`string_agg(${orderLines.title}, ', ' order by ${orderLines.position})`,
}

/** What has come of a transfer. */
export const cameOf = sql<number>`coalesce((select sum(t.amount) from ${transfers} t
  where t.attempt_id = ${attempts.id} and t.taken_back_at is null and not t.is_surplus), 0)::float8`

/** Agreements of a mode, those that were tried first first. */
export const ofAgreements = ({ db, mode }: Looking, where: SQL | undefined, by: SQL | undefined = undefined) =>
  db
    .select({
      ...ORDER,
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

/** Orders of which the journal says something. */
export const ofJournal = ({ db, mode, backThenAt }: Looking, what: JournalEntry) =>
  db
    .select({
      ...ORDER,
      amount: sql<number | null>`(${journal.data}->>'amount')::float8`,
      since: instant(journal.at),
      ...NOTHING,
      why: sql<string | null>`${journal.data}->>'code'`,
    })
    .from(journal)
    .innerJoin(orders, eq(orders.id, journal.orderId))
    .innerJoin(people, eq(people.id, orders.personId))
    .where(and(eq(orders.mode, mode), eq(journal.what, what), gt(journal.at, backThenAt)))
    .limit(MAX_LISTED)

/** An instant in UTC, as text. */
export function instant(column: Parameters<typeof desc>[0]): SQL<string> {
  return sql<string>`to_char(${column} at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"')`
}
