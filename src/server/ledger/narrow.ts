import { type SQL, sql } from 'drizzle-orm'
import { offers } from '../db/schema/index.ts'

/** What narrows sums: a course, an offer, a payment method. */
export interface SumFilters {
  course?: string | undefined
  offer?: string | undefined
  paymentMethod?: string | undefined
}

/** The same as a condition on `offer_id` and on `method`, the column that names the payment method. */
export function narrowedTo({ course, offer, paymentMethod }: SumFilters, method: SQL): SQL {
  return sql`
    ${offer ? sql`and offer_id = ${offer}` : sql``}
    ${course ? sql`and offer_id in (select id from ${offers} where ${offers.productId} = ${course})` : sql``}
    ${paymentMethod ? sql`and ${method} = ${paymentMethod}` : sql``}`
}
