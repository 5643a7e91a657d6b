import { and, eq, inArray, lt, sql } from 'drizzle-orm'
import type { Transaction } from '../db/client.ts'
import type { Mode } from '../db/schema/columns.ts'
import { attempts, codes, codeUses, coupons, orders } from '../db/schema/index.ts'
import { type JournalEvent, recordAll } from '../journal/journal.ts'
import { inMode, inTransaction, type Services, type Within } from '../platform/context.ts'

/** How long an order that waits for a transfer holds a limited use, in milliseconds. */
const HELD_MS = 86_400_000

/** Whether a coupon's uses are limited in any way. */
const isLimited = sql`(${coupons.live} ->> 'limit' is not null or ${coupons.live} ->> 'limitPerBuyer' is not null
  or ${coupons.live} ->> 'isSet' = 'true')`

/**
 * Lets the uses of a coupon go that orders of a mode hold which are not paid: others may use them, the orders wait on at
 * their price, and are paid at it too, past the limit if need be (selling rules, section 3).
 * @returns how many.
 */
export function releaseHeld(services: Services, couponId: string, mode: Mode): Promise<number> {
  return inTransaction(services, (within) =>
    release(within, sql`${codeUses.couponId} = ${couponId} and ${codeUses.mode} = ${mode}`),
  )
}

/** The worker's sweep: lets the limited uses go that orders waiting for a transfer have held for a day. @returns how many. */
export async function releaseWaiting(base: Services, mode: Mode): Promise<number> {
  const services = await inMode(base, mode)
  const waiting = services.db
    .select({ id: codeUses.id })
    .from(codeUses)
    .innerJoin(coupons, eq(coupons.id, codeUses.couponId))
    .innerJoin(attempts, and(eq(attempts.orderId, codeUses.orderId), eq(attempts.state, 'awaiting')))
    .where(
      and(
        eq(codeUses.mode, mode),
        eq(codeUses.state, 'reserved'),
        lt(codeUses.createdAt, new Date(services.now().getTime() - HELD_MS)),
        isLimited,
      ),
    )
  return inTransaction(services, (within) => release(within, inArray(codeUses.id, waiting)))
}

async function release({ db: tx, now }: Within, which: ReturnType<typeof sql>): Promise<number> {
  const rows = await tx
    .update(codeUses)
    .set({ state: 'released' })
    .where(and(eq(codeUses.state, 'reserved'), which))
    .returning({ orderId: codeUses.orderId, codeId: codeUses.codeId })
  if (rows.length === 0) return 0
  await recordAll(tx, now(), await eventsOf(tx, rows))
  return rows.length
}

async function eventsOf(
  tx: Transaction,
  rows: readonly { orderId: string; codeId: string }[],
): Promise<JournalEvent[]> {
  const found = await tx
    .select({ orderId: orders.id, personId: orders.personId, codeId: codes.id, code: codes.code })
    .from(codeUses)
    .innerJoin(orders, eq(orders.id, codeUses.orderId))
    .innerJoin(codes, eq(codes.id, codeUses.codeId))
    .where(
      inArray(
        codeUses.orderId,
        rows.map(({ orderId }) => orderId),
      ),
    )
  return found
    .filter(({ orderId, codeId }) => rows.some((row) => row.orderId === orderId && row.codeId === codeId))
    .map(({ orderId, personId, code }) => ({ about: { orderId, personId }, what: 'code-released', data: { code } }))
}
