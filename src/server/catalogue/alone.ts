import { and, asc, eq, inArray, isNotNull, isNull, sql } from 'drizzle-orm'
import type { AlonePrice } from '../../core/content/bundle.ts'
import { describeOffer, type PricingSchool } from '../../core/content/quoteInput.ts'
import type { Queryable } from '../db/client.ts'
import { offers } from '../db/schema/index.ts'

/**
 * What products cost alone at `at`, by their ids: the first one-time offer of each that is on sale for everybody, else 0
 * where it is free for everybody (selling rules, section 4). What has neither is not in it.
 */
export async function pricesAlone(
  db: Queryable,
  school: PricingSchool,
  productIds: readonly string[],
  at: Date,
): Promise<Map<string, NonNullable<AlonePrice>>> {
  const found = new Map<string, NonNullable<AlonePrice>>()
  if (productIds.length === 0) return found
  const rows = await db
    .select({ id: offers.id, productId: offers.productId, live: offers.live })
    .from(offers)
    .where(
      and(
        inArray(offers.productId, [...productIds]),
        eq(offers.onSale, true),
        isNull(offers.retiredAt),
        isNotNull(offers.live),
        eq(offers.isTestPurchase, false),
        sql`${offers.live} #>> '{audience,who}' = 'everyone'`,
        sql`${offers.live} #>> '{terms,kind}' in ('single', 'free')`,
      ),
    )
    .orderBy(asc(offers.position), asc(offers.createdAt))
  const free = new Set<string>()
  for (const { id, productId, live } of rows) {
    if (!live || found.has(productId)) continue
    if (live.terms.kind === 'free') free.add(productId)
    const said = describeOffer(school, { id, courses: [{ id: productId }], content: live }, at.toISOString())
    const payment = said?.quote.lines[0]?.payments.find(({ n }) => n > 0)
    if (live.terms.kind === 'single' && payment) found.set(productId, { list: payment.list, now: payment.price })
  }
  for (const productId of free) if (!found.has(productId)) found.set(productId, { list: 0, now: 0 })
  return found
}
