import { sql } from 'drizzle-orm'
import type { Day } from '../../core/calendar/day.ts'
import type { Queryable } from '../db/client.ts'
import type { Mode } from '../db/schema/columns.ts'
import { ledger, movedDeltas, movedSums } from '../db/schema/index.ts'
import { narrowedTo, type SumFilters } from './narrow.ts'

/** What moved on a day, in minor units; all of it from the ledger. */
export interface Moved {
  day: Day
  /** What buyers paid, and the tax in it. What a correction takes back lies below 0. */
  received: number
  receivedTax: number
  /** What gateways kept of it. */
  fees: number
  /** What was given back or lost in a dispute, and the tax in it. */
  givenBack: number
  givenBackTax: number
}

const FIGURES = sql`
  coalesce(sum(amount) filter (where account ~ '^(assets:|expenses:fees:)' and not is_back), 0)::float8 as received,
  coalesce(-sum(amount) filter (where account = 'liabilities:vat' and not is_back), 0)::float8 as "receivedTax",
  coalesce(sum(amount) filter (where account like 'expenses:fees:%'), 0)::float8 as fees,
  coalesce(-sum(amount) filter (where account like 'assets:%' and is_back), 0)::float8 as "givenBack",
  coalesce(sum(amount) filter (where account = 'liabilities:vat' and is_back), 0)::float8 as "givenBackTax"`

const KEY = sql`mode, day, offer_id, method, account, currency, is_back`
const BOTH = sql`(select ${KEY}, amount from ${movedSums} union all select ${KEY}, amount from ${movedDeltas}) s`

/** Adds what movements left into the sums. Safe to call by several workers at once. */
export async function addUpMoved(db: Queryable): Promise<void> {
  await db.execute(sql`
    with gone as (delete from ${movedDeltas} returning *)
    insert into ${movedSums} (${KEY}, amount)
    select ${KEY}, sum(amount) from gone group by ${KEY} order by ${KEY}
    on conflict (${KEY}) do update set amount = ${movedSums}.amount + excluded.amount`)
}

/** What moved on the days from one to another, both included, without days of nothing. */
export async function movedBetween(
  db: Queryable,
  mode: Mode,
  from: Day,
  until: Day,
  filters: SumFilters,
): Promise<Moved[]> {
  const { rows } = await db.execute(sql`
    select day::text, ${FIGURES} from ${BOTH}
    where mode = ${mode} and day between ${from} and ${until} ${narrowedTo(filters, sql`method`)}
    group by day order by day`)
  // A payout moves money, and comes to nothing.
  return (rows as unknown as Moved[]).filter(({ day: _day, ...figures }) =>
    Object.values(figures).some((sum) => sum !== 0),
  )
}

/** What moved in a span, by the offers it moved for. */
export async function movedByOffer(
  db: Queryable,
  mode: Mode,
  from: Day,
  until: Day,
  filters: SumFilters,
): Promise<(Omit<Moved, 'day'> & { offerId: string })[]> {
  const { rows } = await db.execute(sql`
    select offer_id as "offerId", ${FIGURES} from ${BOTH}
    where mode = ${mode} and day between ${from} and ${until} ${narrowedTo(filters, sql`method`)}
    group by offer_id`)
  return rows as unknown as (Omit<Moved, 'day'> & { offerId: string })[]
}

/** Money that moved for one line of an order; `lineId` null: for the order, and none of its lines. */
export interface MovedOf extends Omit<Moved, 'day'> {
  orderId: string
  lineId: string | null
}

/** What moved of orders, by their lines: part transfers, what was not owed and what was charged again too. */
export async function movedOfOrders(db: Queryable, orderIds: readonly string[]): Promise<MovedOf[]> {
  const { rows } = await db.execute(sql`
    select order_id as "orderId", line_id as "lineId", ${FIGURES}
    from (select *, kind in ('refund', 'dispute') as is_back from ${ledger}
      where order_id = any(${sql.param([...orderIds])}::uuid[])) s
    group by order_id, line_id`)
  return rows as unknown as MovedOf[]
}

/** All that ever moved in a mode. */
export async function movedOfMode(db: Queryable, mode: Mode): Promise<Omit<Moved, 'day'>> {
  const { rows } = await db.execute(sql`select ${FIGURES} from ${BOTH} where mode = ${mode}`)
  return rows[0] as unknown as Omit<Moved, 'day'>
}

/** What an account holds, in one currency. */
export interface Balance {
  account: string
  currency: string
  amount: number
}

/** What every account of a mode holds: debits above 0, credits below. */
export async function balancesOf(db: Queryable, mode: Mode): Promise<Balance[]> {
  const { rows } = await db.execute(sql`
    select account, currency, sum(amount)::float8 as amount from ${BOTH}
    where mode = ${mode} group by account, currency having sum(amount) <> 0 order by account, currency`)
  return rows as unknown as Balance[]
}
