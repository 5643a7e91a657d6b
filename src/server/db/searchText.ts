import { eq, sql } from 'drizzle-orm'
import type { Queryable } from './client.ts'
import { orderLines, orders, people } from './schema/index.ts'

/** A buyer's orders are found by what the buyer is called now, and by what was ordered. */
export async function refreshSearch(db: Queryable, personId: string): Promise<void> {
  const searchText = sql`(select lower(p.name || ' ' || p.email) from ${people} p where p.id = ${personId}) || ' ' ||
    coalesce((select string_agg(lower(l.title || ' ' || l.offer_name), ' ') from ${orderLines} l
      where l.order_id = orders.id), '')`
  await db.update(orders).set({ searchText }).where(eq(orders.personId, personId))
}
