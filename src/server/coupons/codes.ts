import { and, eq, inArray, isNull, sql } from 'drizzle-orm'
import { type CouponContent, type CouponUses, couponInput } from '../../core/content/coupon.ts'
import { codeKey } from '../../core/quote/codes.ts'
import type { Queryable } from '../db/client.ts'
import type { Mode } from '../db/schema/columns.ts'
import { codes, codeUses, coupons, orders } from '../db/schema/index.ts'

/** A code that exists, with the published rule of its coupon; one that was ended by hand ends there. */
export interface FoundCode {
  id: string
  couponId: string
  code: string
  content: CouponContent
}

/** The codes that were typed, as far as they exist, each coupon once. One look-up, whatever was typed. */
export async function findCodes(db: Queryable, typed: readonly string[]): Promise<FoundCode[]> {
  const keys = [...new Set(typed.map(codeKey))]
  if (keys.length === 0) return []
  const rows = await db
    .select({
      id: codes.id,
      couponId: coupons.id,
      code: codes.code,
      live: coupons.live,
      endedAt: coupons.endedAt,
      withdrawnAt: codes.withdrawnAt,
    })
    .from(codes)
    .innerJoin(coupons, eq(coupons.id, codes.couponId))
    .where(and(inArray(codes.key, keys), isNull(codes.freedAt)))
  return rows.flatMap(({ live, endedAt, withdrawnAt, ...code }) => {
    if (!live) return []
    const ended = [endedAt, withdrawnAt]
      .filter((moment) => moment !== null)
      .sort((a, b) => a.getTime() - b.getTime())[0]
    return [{ ...code, content: ended === undefined ? live : { ...live, until: ended.toISOString() } }]
  })
}

/**
 * Codes as they are quoted: of a set the first that was typed stands for every other of it, which is then entered twice
 * (selling rules, section 3).
 */
export function asQuoted(
  typed: readonly string[],
  found: readonly FoundCode[],
): { codes: string[]; found: FoundCode[] } {
  const first = new Map<string, FoundCode>()
  const codesAs = typed.map((code) => {
    const of = found.find((other) => codeKey(other.code) === codeKey(code))
    if (!of) return code
    const known = first.get(of.couponId)
    if (!known) first.set(of.couponId, of)
    return (known ?? of).code
  })
  return { codes: codesAs, found: [...first.values()] }
}

/** Whose uses are counted, and which are not: those of the order itself, or of what a browser has not paid yet. */
export interface Counting {
  mode: Mode
  /** Null where it is not known who buys. */
  personId: string | null
  except: { orderId: string | null } | { browserHash: string }
}

/** How often coupons are used or reserved, by coupon; of a set also whether the code itself is. */
export async function countUses(
  db: Queryable,
  found: readonly FoundCode[],
  { mode, personId, except }: Counting,
): Promise<Map<string, CouponUses>> {
  if (found.length === 0) return new Map()
  const couponIds = found.map(({ couponId }) => couponId)
  const single = found.filter(({ content }) => content.isSet).map(({ id }) => id)
  const rows = await db
    .select({
      couponId: codeUses.couponId,
      used: sql<number>`count(*)::int`,
      isSpent: sql<boolean>`coalesce(bool_or(${codeUses.codeId} = any(${sql.param(single)}::uuid[])), false)`,
      usedByBuyer: sql<number>`(count(*) filter (where ${orders.personId} = ${personId}::uuid))::int`,
    })
    .from(codeUses)
    .innerJoin(orders, eq(orders.id, codeUses.orderId))
    .where(
      and(
        inArray(codeUses.couponId, couponIds),
        eq(codeUses.mode, mode),
        sql`${codeUses.state} <> 'released'`,
        isCounted(except),
      ),
    )
    .groupBy(codeUses.couponId)
  return new Map(rows.map(({ couponId, ...uses }) => [couponId, uses]))
}

function isCounted(except: Counting['except']) {
  if ('browserHash' in except) {
    return sql`not (${codeUses.state} = 'reserved' and ${orders.browserHash} = ${except.browserHash})`
  }
  return except.orderId === null ? undefined : sql`${codeUses.orderId} <> ${except.orderId}`
}

/** What a quote is asked with: the coupons of the codes that were typed, as they stand. */
export function inputOf(
  found: readonly FoundCode[],
  uses: ReadonlyMap<string, CouponUses>,
  { currency, offers }: { currency: string; offers: readonly { id: string; productId: string }[] },
): object[] {
  return found.map(({ couponId, code, content }) =>
    couponInput(content, { code, currency, offers }, uses.get(couponId) ?? { used: 0, usedByBuyer: 0 }),
  )
}
