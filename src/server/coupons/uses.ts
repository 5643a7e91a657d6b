import { and, asc, eq, inArray, ne, sql } from 'drizzle-orm'
import { codeKey } from '../../core/quote/codes.ts'
import type { QuotedCode } from '../../core/quote/types.ts'
import type { Queryable, Transaction } from '../db/client.ts'
import type { Mode } from '../db/schema/columns.ts'
import { codes, codeUses, coupons, orders } from '../db/schema/index.ts'
import type { FoundCode } from './codes.ts'

/** Most reservations that one browser holds at a time, by orders that are not paid. */
const MAX_RESERVED = 3

/** Holds coupons until the transaction ends, so that of many orders at once only as many as may are placed with them. */
export async function lockCoupons(tx: Transaction, found: readonly FoundCode[]): Promise<void> {
  const ids = found.map(({ couponId }) => couponId)
  if (ids.length === 0) return
  await tx
    .select({ id: coupons.id })
    .from(coupons)
    .where(inArray(coupons.id, ids))
    .orderBy(asc(coupons.id))
    .for('no key update')
}

/** Whether a browser holds as many reservations as it may, beside those of an order. */
export async function hasTooMany(tx: Queryable, browserHash: string, orderId: string | null): Promise<boolean> {
  const rows = await tx
    .select({ id: codeUses.orderId })
    .from(codeUses)
    .innerJoin(orders, eq(orders.id, codeUses.orderId))
    .where(
      and(
        eq(orders.browserHash, browserHash),
        ne(orders.state, 'paid'),
        eq(codeUses.state, 'reserved'),
        orderId === null ? undefined : ne(codeUses.orderId, orderId),
      ),
    )
    .limit(MAX_RESERVED)
  return rows.length >= MAX_RESERVED
}

/**
 * Reserves the codes that count for an order, in the transaction that places it; what it reserved before and does not
 * count now is given up.
 */
export async function reserveCodes(
  tx: Transaction,
  { id: orderId, mode }: { id: string; mode: Mode },
  quoted: readonly QuotedCode[],
  found: readonly FoundCode[],
  at: Date,
): Promise<void> {
  const rows = quoted.flatMap((code) => {
    const of = code.counts ? found.find((other) => codeKey(other.code) === codeKey(code.code)) : undefined
    if (!code.counts || !of) return []
    return [
      {
        mode,
        orderId,
        couponId: of.couponId,
        codeId: of.id,
        state: 'reserved' as const,
        saves: code.saves,
        createdAt: at,
      },
    ]
  })
  await tx.delete(codeUses).where(eq(codeUses.orderId, orderId))
  if (rows.length > 0) await tx.insert(codeUses).values(rows)
}

/**
 * The order is paid: its codes are used, also where they were released meanwhile and the money came after all.
 * @returns the codes that are thereby used more often than they may (selling rules, section 2).
 */
export async function markCodesUsed(tx: Transaction, orderId: string): Promise<string[]> {
  const released = await tx
    .select({ id: codeUses.id })
    .from(codeUses)
    .where(and(eq(codeUses.orderId, orderId), eq(codeUses.state, 'released')))
  await tx.update(codeUses).set({ state: 'used' }).where(eq(codeUses.orderId, orderId))
  if (released.length === 0) return []
  const ids = released.map(({ id }) => id)
  const count = (of: ReturnType<typeof sql>) =>
    sql`(select count(*) from code_uses o where o.mode = ${codeUses.mode} and o.state <> 'released' and ${of})`
  const over = await tx
    .select({ code: codes.code })
    .from(codeUses)
    .innerJoin(codes, eq(codes.id, codeUses.codeId))
    .innerJoin(coupons, eq(coupons.id, codeUses.couponId))
    .where(
      and(
        inArray(codeUses.id, ids),
        sql`(${count(sql`o.coupon_id = ${codeUses.couponId}`)} > (${coupons.live} ->> 'limit')::int
          or (${coupons.live} ->> 'isSet' = 'true' and ${count(sql`o.code_id = ${codeUses.codeId}`)} > 1))`,
      ),
    )
  return over.map(({ code }) => code)
}

/**
 * Gives the uses of a paid order's codes back, so that others may use them: a refund alone does not (selling rules,
 * section 3). @returns the codes; none where the order used none, or they were given back already.
 */
export async function giveUsesBack(tx: Transaction, orderId: string): Promise<string[]> {
  const back = await tx
    .update(codeUses)
    .set({ state: 'released' })
    .where(and(eq(codeUses.orderId, orderId), eq(codeUses.state, 'used')))
    .returning({ codeId: codeUses.codeId })
  if (back.length === 0) return []
  const rows = await tx
    .select({ code: codes.code })
    .from(codes)
    .where(
      inArray(
        codes.id,
        back.map(({ codeId }) => codeId),
      ),
    )
  return rows.map(({ code }) => code)
}

/** The try was declined or abandoned: others may use the codes; the next try reserves again. */
export async function releaseCodes(tx: Transaction, orderId: string): Promise<void> {
  await tx
    .update(codeUses)
    .set({ state: 'released' })
    .where(and(eq(codeUses.orderId, orderId), eq(codeUses.state, 'reserved')))
}

/** The money turned out not to have come: the order waits for it again, and its codes are reserved. */
export async function reserveAgain(tx: Transaction, orderId: string): Promise<void> {
  await tx.update(codeUses).set({ state: 'reserved' }).where(eq(codeUses.orderId, orderId))
}

/** Orders that were placed before by who buys now, with anything charged, refunded ones too (selling rules, section 2). */
export async function purchasesOf(db: Queryable, personId: string, mode: Mode): Promise<number> {
  return db.$count(
    orders,
    and(
      eq(orders.personId, personId),
      eq(orders.mode, mode),
      eq(orders.state, 'paid'),
      sql`exists (select from payments p where p.order_id = orders.id and p.state = 'collected' and p.pay > 0)`,
    ),
  )
}
