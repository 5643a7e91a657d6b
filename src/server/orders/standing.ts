import { sql } from 'drizzle-orm'
import { agreements } from '../db/schema/index.ts'

/**
 * How an order's agreement stands, for lists of orders: to be selected beside a left join of `agreements`, and null
 * where the order began none. `count` is how many numbered payments there are, null where they go on until cancelled.
 */
export const agreementStanding = {
  kind: agreements.kind,
  state: agreements.state,
  tries: agreements.tries,
  collected: agreements.collected,
  count: sql<number | null>`case when not ${agreements.endless} then
    (select count(*)::int from payments p where p.line_id = ${agreements.lineId} and p.n > 0) end`,
}
