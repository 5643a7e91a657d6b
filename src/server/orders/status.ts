import { sql } from 'drizzle-orm'
import {
  agreements,
  attempts,
  connections,
  disputes,
  orderLines,
  orders,
  payments,
  refunds,
  transfers,
} from '../db/schema/index.ts'

/**
 * How an order's agreement stands, for lists of orders: to be selected beside a left join of `agreements`, and null
 * where the order began none. `count` is how many numbered payments there are, null where they go on until cancelled.
 */
export const agreementStatus = {
  id: agreements.id,
  kind: agreements.kind,
  state: agreements.state,
  tries: agreements.tries,
  collected: agreements.collected,
  /** The day of the next charge; null where none follows. */
  chargedNext: agreements.nextTry,
  count: sql<number | null>`case when not ${agreements.endless} then
    (select count(*)::int from payments p where p.line_id = ${agreements.lineId} and p.n > 0) end`,
}

/** What an order holds, for lists of orders: the titles of its lines, and their offers. */
export const orderTitles = {
  course: sql<string>`(select string_agg(l.title, ', ' order by l.position) from ${orderLines} l where l.order_id = "orders"."id")`,
  lines: sql<number>`(select count(*)::int from ${orderLines} l where l.order_id = "orders"."id")`,
  /** The codes that took something off, in the order in which they were entered; null where there are none. */
  codes: sql<
    string | null
  >`(select string_agg(c->>'code', ' ') from jsonb_array_elements("orders"."quote"->'codes') c where (c->>'counts')::boolean)`,
  /** How each line was sold, in their order: `main`, `bump` or `upsell`. */
  roles: sql<string>`(select string_agg(l.role, ', ' order by l.position) from ${orderLines} l where l.order_id = "orders"."id")`,
  /** The number of the order that it follows as an upsell. */
  follows: sql<number | null>`(select f.number from orders f where f.id = "orders"."follows_id")`,
  offer: sql<string>`(select string_agg(l.offer_name, ', ' order by l.position) from ${orderLines} l where l.order_id = "orders"."id")`,
}

/** Of an order's agreements the one that asks for somebody first: late, then stopped, then going on. For joins. */
export const firstAgreement = sql`(select g.id from ${agreements} g where g.order_id = "orders"."id" order by
  (g.state = 'active' and g.tries > 0) desc, g.state = 'stopped' desc, g.state = 'active' desc, g.next_try, g.id limit 1)`

/** The newest attempt at what an order owes on its first day. */
const firstAttempt = (what: ReturnType<typeof sql>) => sql`(select ${what} from ${attempts} a
  join ${connections} c on c.id = a.connection_id
  where a.order_id = ${orders.id} and a.agreement_id is null order by a.started_at desc limit 1)`

/** What has come for an order and what went back, in minor units, and what an unpaid one waits for. For lists of orders. */
export const orderStatusColumns = {
  received: sql<number>`coalesce((select sum(p.pay) from ${payments} p
    where p.order_id = ${orders.id} and p.state = 'collected'), 0)::float8`,
  refunded: sql<number>`coalesce((select sum(r.amount) from ${refunds} r
    where r.order_id = ${orders.id} and r.state = 'refunded'), 0)::float8`,
  /** Some payment of it is disputed, and not decided yet. */
  disputed: sql<boolean>`exists (select from ${disputes} d where d.order_id = ${orders.id} and d.state in ('open', 'contested'))`,
  /** Of a transfer that is not complete. */
  came: sql<number>`case when ${orders.state} = 'paid' then 0 else coalesce((select sum(t.amount) from ${transfers} t
    join ${attempts} a on a.id = t.attempt_id
    where t.order_id = ${orders.id} and a.state = 'awaiting' and t.taken_back_at is null and not t.is_surplus), 0) end::float8`,
  /** `<state> <gateway>` of its newest attempt; null where there was none. */
  last: sql<
    string | null
  >`case when ${orders.state} <> 'paid' then ${firstAttempt(sql`a.state || ' ' || c.adapter`)} end`,
}
