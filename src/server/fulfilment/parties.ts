import { type SQL, sql } from 'drizzle-orm'
import { orders, people, school } from '../db/schema/index.ts'

/**
 * Who receives an order's money and who pays it, as they are called now, for an attempt's `parties`: its receipt names
 * them so, whatever is renamed later. @param orderId the column or expression that says which order.
 */
export function partiesOf(orderId: SQL): SQL {
  return sql`(select jsonb_build_object('name', s.name, 'language', s.language, 'buyer', jsonb_build_object(
      'name', coalesce(o.buyer_name, p.name), 'email', p.email, 'postalAddress', p.postal_address))
    from ${school} s, ${orders} o join ${people} p on p.id = o.person_id where o.id = ${orderId})`
}
