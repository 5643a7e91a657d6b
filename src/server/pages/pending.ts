import { and, desc, eq, notExists, or, type SQL } from 'drizzle-orm'
import { BANK_TRANSFER_ID } from '../../gateways/bankTransfer.ts'
import { attempts, connections, orders } from '../db/schema/index.ts'
import { isId } from '../http/isId.ts'
import type { Services } from '../platform/context.ts'
import type { Visitor } from '../session/visitor.ts'

/**
 * Whether a buyer who comes back from a gateway's page has paid for their order by now: its event may be faster than they,
 * and then what they ordered may not be in their basket, or on sale, any more.
 */
export async function cameBackPaid(
  { db }: Services,
  { browserHash, mode }: Visitor,
  orderId: string | undefined,
): Promise<boolean> {
  if (!browserHash || !orderId || !isId(orderId)) return false
  const theirs = and(eq(orders.id, orderId), eq(orders.mode, mode), eq(orders.browserHash, browserHash))
  return (await db.$count(orders, and(theirs, eq(orders.state, 'paid')))) > 0
}

/**
 * The order of a page whose payment was under way in this browser, so that a reload goes on with it. One that waits for a
 * bank transfer is not in the payment method at once. `ofPage` says which orders are the page's.
 */
export async function pendingOrder(
  { db }: Services,
  ofPage: SQL,
  { browserHash, mode }: Visitor,
  cameBackFrom: string | undefined,
): Promise<string | null> {
  if (!browserHash) return null
  // Whoever comes back from a gateway's page is told how it stands, also where its event was faster than they.
  const isFrom = cameBackFrom && isId(cameBackFrom) ? eq(orders.id, cameBackFrom) : undefined
  const byTransfer = db
    .select({ id: attempts.id })
    .from(attempts)
    .innerJoin(connections, eq(connections.id, attempts.connectionId))
    .where(
      and(eq(attempts.orderId, orders.id), eq(attempts.state, 'awaiting'), eq(connections.adapter, BANK_TRANSFER_ID)),
    )
  const [order] = await db
    .select({ id: orders.id })
    .from(orders)
    .where(
      and(
        eq(orders.mode, mode),
        eq(orders.browserHash, browserHash),
        or(isFrom, and(eq(orders.state, 'paying'), notExists(byTransfer))),
        ofPage,
      ),
    )
    .orderBy(desc(orders.state))
  return order?.id ?? null
}
