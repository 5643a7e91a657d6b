import { createHash } from 'node:crypto'
import { sql } from 'drizzle-orm'
import type { Queryable } from '../db/client.ts'
import { attempts } from '../db/schema/index.ts'

/** What an attempt collects: the sum due on the purchase day, or payments of an agreement from a number on. */
export interface Collects {
  orderId: string
  agreementId: string | null
  fromN: number | null
}

/**
 * The idempotency keys of the tries that come next, derived from what they collect and how many tries there were. A
 * database that is put back to an earlier state makes the same key for the same try, and the gateway answers with
 * what became of it, instead of charging once more. The caller holds the orders' locks.
 */
export async function nextAttemptKeys(db: Queryable, all: readonly Collects[]): Promise<string[]> {
  const orderIds = [...new Set(all.map(({ orderId }) => orderId))]
  const tries = await db
    .select({ orderId: attempts.orderId, agreementId: attempts.agreementId, fromN: attempts.fromN })
    .from(attempts)
    .where(sql`${attempts.orderId} = any(${sql.param(orderIds)}::uuid[])`)
  return all.map((collects) => {
    const { orderId, agreementId, fromN } = collects
    const isOf = (other: Collects) =>
      other.orderId === orderId && other.agreementId === agreementId && other.fromN === fromN
    return attemptKey(collects, tries.filter(isOf).length)
  })
}

/** The key of try number `n`, from 0. */
export function attemptKey({ orderId, agreementId, fromN }: Collects, n: number): string {
  return derivedKey('attempt', orderId, agreementId ?? 'today', String(fromN ?? 0), String(n))
}

/** A key that is the same for the same parts, and tells nobody what they are. */
export function derivedKey(...parts: string[]): string {
  return createHash('sha256').update(parts.join('\n')).digest('base64url').slice(0, 36)
}
