import { and, eq, gt } from 'drizzle-orm'
import type { Mode } from '../db/schema/columns.ts'
import { orderLinks, orders } from '../db/schema/index.ts'
import type { Services } from '../platform/context.ts'
import { hashToken, newToken } from '../platform/secrets.ts'

/** For how long a link in a message shows its order. */
const LINK_DAYS = 180

/** Makes a link that shows one order on any device, to whoever holds it. Only its hash is kept. */
export async function makeOrderLink({ db, now, config }: Services, orderId: string): Promise<string> {
  const { token, hash } = newToken()
  const at = now()
  const expiresAt = new Date(at.getTime() + LINK_DAYS * 86_400_000)
  await db.insert(orderLinks).values({ tokenHash: hash, orderId, createdAt: at, expiresAt })
  return `${config.origin}/order/${token}`
}

/** The order that a link shows, and its mode; null where it has ended, or never was. */
export async function readOrderLink(
  { db, now }: Services,
  token: string,
): Promise<{ orderId: string; mode: Mode } | null> {
  const [row] = await db
    .select({ orderId: orders.id, mode: orders.mode })
    .from(orderLinks)
    .innerJoin(orders, eq(orders.id, orderLinks.orderId))
    .where(and(eq(orderLinks.tokenHash, hashToken(token)), gt(orderLinks.expiresAt, now())))
  return row ?? null
}
