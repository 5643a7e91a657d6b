import { sql } from 'drizzle-orm'
import type { Day } from '../../core/calendar/day.ts'
import type { Queryable } from '../db/client.ts'
import type { Mode } from '../db/schema/columns.ts'
import { movedDeltas, movedSums } from '../db/schema/index.ts'
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
  coalesce(sum(received), 0)::float8 as received, coalesce(sum(received_tax), 0)::float8 as "receivedTax",
  coalesce(sum(fees), 0)::float8 as fees, coalesce(sum(given_back), 0)::float8 as "givenBack",
  coalesce(sum(given_back_tax), 0)::float8 as "givenBackTax"`

const COLUMNS = sql`mode, day, offer_id, method, received, received_tax, fees, given_back, given_back_tax`
const BOTH = sql`(select ${COLUMNS} from ${movedSums} union all select ${COLUMNS} from ${movedDeltas}) s`

/** Adds what movements left into the sums. Safe to call by several workers at once. */
export async function addUpMoved(db: Queryable): Promise<void> {
  await db.execute(sql`
    with gone as (delete from ${movedDeltas} returning *)
    insert into ${movedSums} (${COLUMNS})
    select mode, day, offer_id, method,
      sum(received), sum(received_tax), sum(fees), sum(given_back), sum(given_back_tax)
    from gone group by 1, 2, 3, 4 order by 1, 2, 3, 4
    on conflict (mode, day, offer_id, method) do update set
      received = ${movedSums}.received + excluded.received,
      received_tax = ${movedSums}.received_tax + excluded.received_tax,
      fees = ${movedSums}.fees + excluded.fees, given_back = ${movedSums}.given_back + excluded.given_back,
      given_back_tax = ${movedSums}.given_back_tax + excluded.given_back_tax`)
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
  return rows as unknown as Moved[]
}

/** All that ever moved in a mode. */
export async function movedOfMode(db: Queryable, mode: Mode): Promise<Omit<Moved, 'day'>> {
  const { rows } = await db.execute(sql`select ${FIGURES} from ${BOTH} where mode = ${mode}`)
  return rows[0] as unknown as Omit<Moved, 'day'>
}
