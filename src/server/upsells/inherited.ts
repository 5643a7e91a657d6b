import { and, eq, inArray } from 'drizzle-orm'
import { isFor } from '../../core/content/coupon.ts'
import type { BasketTerms } from '../../core/content/quoteInput.ts'
import { codeKey } from '../../core/quote/codes.ts'
import { readStoredQuote } from '../../core/quote/stored.ts'
import type { Coupon } from '../../core/quote/types.ts'
import type { SellableLine } from '../catalogue/sellable.ts'
import type { Queryable } from '../db/client.ts'
import { codes, codeUses, coupons, type orders } from '../db/schema/index.ts'

/**
 * What an upsell is quoted by: the percent codes that the order before it carries and that are for upsells, within the same
 * use (selling rules, section 3). Their dates, limits and least sum were met by that order, and are not asked again.
 */
export async function inheritedTerms(
  db: Queryable,
  order: typeof orders.$inferSelect,
  { offer }: SellableLine,
): Promise<BasketTerms> {
  const counted = new Set(order.quote.codes.flatMap(({ code, counts }) => (counts ? [codeKey(code)] : [])))
  const { coupons: all, buyer } = readStoredQuote(order.quoteInput)
  const own = all.filter(
    ({ code, reduction, roles }) => counted.has(codeKey(code)) && reduction.kind === 'percent' && roles.has('upsell'),
  )
  const narrow = own.filter(({ offers }) => offers !== null).map(({ code }) => codeKey(code))
  const apply = await appliesTo(db, order.id, narrow, { id: offer.id, productId: offer.productId })
  const applying = own.filter(({ code, offers }) => offers === null || apply.has(codeKey(code)))
  return {
    coupons: applying.map((coupon) => inherited(coupon, offer.id)),
    codes: applying.map(({ code }) => code),
    buyer,
  }
}

/** Of codes for some offers only, those that are for one that was not in the order. The snapshot names what was in it. */
async function appliesTo(
  db: Queryable,
  orderId: string,
  keys: readonly string[],
  offer: { id: string; productId: string },
): Promise<ReadonlySet<string>> {
  if (keys.length === 0) return new Set()
  const rows = await db
    .select({ key: codes.key, live: coupons.live })
    .from(codeUses)
    .innerJoin(codes, eq(codes.id, codeUses.codeId))
    .innerJoin(coupons, eq(coupons.id, codeUses.couponId))
    .where(and(eq(codeUses.orderId, orderId), inArray(codes.key, [...keys])))
  return new Set(rows.flatMap(({ key, live }) => (live && isFor(live, offer) ? [key] : [])))
}

/** A coupon as the quote's document has it (pricing rules, section 6), for an upsell alone. */
function inherited({ code, reduction, payments, offers, skipsSale, combines }: Coupon, offerId: string): object {
  if (reduction.kind !== 'percent') throw new RangeError('Only percent codes go on.')
  return {
    ...{ code, payments, skipsSale, combines, kind: 'percent', rate: reduction.rate },
    offers: offers === null ? null : [offerId],
    roles: ['upsell'],
    ...{ minimum: 0, startsAt: null, endsAt: null, limit: null, used: 0 },
    ...{ limitPerBuyer: null, usedByBuyer: 0, firstPurchaseOnly: false },
  }
}
