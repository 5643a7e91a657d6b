import { and, asc, eq, inArray, isNotNull, isNull, sql } from 'drizzle-orm'
import type { AlonePrice } from '../../core/content/bundle.ts'
import { describeOffer, type PricingSchool } from '../../core/content/quoteInput.ts'
import type { Queryable } from '../db/client.ts'
import { offers } from '../db/schema/index.ts'

/** A product's one-time or free offer that is on sale for everybody, with its price in the list and now. */
interface Alone {
  productId: string
  kind: 'single' | 'free'
  price: NonNullable<AlonePrice>
}

/** The one-time and free offers of products that are on sale for everybody at `at`, in their order. */
async function offersAlone(
  db: Queryable,
  school: PricingSchool,
  productIds: readonly string[],
  at: Date,
): Promise<Alone[]> {
  if (productIds.length === 0) return []
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
  return rows.flatMap(({ id, productId, live }): Alone[] => {
    if (!live) return []
    if (live.terms.kind === 'free') return [{ productId, kind: 'free', price: { list: 0, now: 0 } }]
    const said = describeOffer(school, { id, courses: [{ id: productId }], content: live }, at.toISOString())
    const payment = said?.quote.lines[0]?.payments.find(({ n }) => n > 0)
    return payment ? [{ productId, kind: 'single', price: { list: payment.list, now: payment.price } }] : []
  })
}

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
  const alone = await offersAlone(db, school, productIds, at)
  for (const kind of ['single', 'free'] as const) {
    for (const offer of alone) {
      if (offer.kind === kind && !found.has(offer.productId)) found.set(offer.productId, offer.price)
    }
  }
  return found
}

/** The lowest price for which everybody gets each product in the shop at `at`, by its id, in minor units. */
export async function lowestAlone(
  db: Queryable,
  school: PricingSchool,
  productIds: readonly string[],
  at: Date,
): Promise<Map<string, number>> {
  const lowest = new Map<string, number>()
  for (const { productId, price } of await offersAlone(db, school, productIds, at)) {
    lowest.set(productId, Math.min(price.now, lowest.get(productId) ?? price.now))
  }
  return lowest
}
