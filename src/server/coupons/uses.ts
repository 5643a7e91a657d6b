import { and, asc, eq, inArray, ne, or, type SQL, sql } from 'drizzle-orm'
import { codeKey } from '../../core/quote/codes.ts'
import type { QuotedCode } from '../../core/quote/types.ts'
import type { Queryable, Transaction } from '../db/client.ts'
import type { Mode } from '../db/schema/columns.ts'
import { codes, codeUses, coupons, orders } from '../db/schema/index.ts'
import { hashToken } from '../platform/secrets.ts'
import type { FoundCode } from './codes.ts'

/** The most unpaid orders that may hold reservations at a time, for one browser, one buyer or one IP address. */
const MAX_HELD = 3

/** Who holds reservations. */
export interface Holder {
  browserHash: string
  personId: string
  /** Their IP address; null where nobody asks from anywhere, as when the demo is loaded. */
  ip: string | null
}

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

/**
 * Whether somebody holds as many reservations as they may, beside those of an order: in their browser, by their email, or,
 * of uses that are limited in all, from their address. Who asks from one address waits for each other.
 */
export async function hasTooMany(
  tx: Transaction,
  { browserHash, personId, ip }: Holder,
  found: readonly FoundCode[],
  orderId: string | null,
): Promise<boolean> {
  const heldFrom = ip === null ? null : hashToken(ip)
  const isScarce = found.some(({ content }) => content.limit !== null || content.isSet)
  if (heldFrom && isScarce) await tx.execute(sql`select pg_advisory_xact_lock(hashtextextended(${heldFrom}, 7))`)
  const held = (of: SQL) => sql<number>`(count(distinct ${codeUses.orderId}) filter (where ${of}))::int`
  const scarce = sql`(${coupons.live} ->> 'limit' is not null or ${coupons.live} ->> 'isSet' = 'true')`
  const [counted] = await tx
    .select({
      byBrowser: held(sql`${orders.browserHash} = ${browserHash}`),
      byEmail: held(sql`${orders.personId} = ${personId}::uuid`),
      fromThere: held(sql`${codeUses.heldFrom} = ${heldFrom} and ${scarce}`),
    })
    .from(codeUses)
    .innerJoin(orders, eq(orders.id, codeUses.orderId))
    .innerJoin(coupons, eq(coupons.id, codeUses.couponId))
    .where(
      and(
        eq(codeUses.state, 'reserved'),
        ne(orders.state, 'paid'),
        orderId === null ? undefined : ne(codeUses.orderId, orderId),
        or(eq(orders.browserHash, browserHash), eq(orders.personId, personId), eq(codeUses.heldFrom, heldFrom ?? '')),
      ),
    )
  const { byBrowser = 0, byEmail = 0, fromThere = 0 } = counted ?? {}
  return Math.max(byBrowser, byEmail, isScarce ? fromThere : 0) >= MAX_HELD
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
  { at, ip }: { at: Date; ip: string | null },
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
        heldFrom: ip === null ? null : hashToken(ip),
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
  await tx.update(codeUses).set({ state: 'used', heldFrom: null }).where(eq(codeUses.orderId, orderId))
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
