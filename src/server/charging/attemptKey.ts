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

/** What was tried to be collected of orders so far. */
export function triesOf(db: Queryable, orderIds: readonly string[]): Promise<Collects[]> {
  return db
    .select({ orderId: attempts.orderId, agreementId: attempts.agreementId, fromN: attempts.fromN })
    .from(attempts)
    .where(sql`${attempts.orderId} = any(${sql.param([...new Set(orderIds)])}::uuid[])`)
}

/**
 * The idempotency key of the try that comes next, derived from what it collects and how many tries there were. A
 * database that is put back to an earlier state makes the same key for the same try, and the gateway answers with
 * what became of it, instead of charging once more. The caller holds the order's lock.
 * @param before the tries of its order so far, among others.
 */
export function nextAttemptKey(collects: Collects, before: readonly Collects[]): string {
  const { orderId, agreementId, fromN } = collects
  const isOf = (other: Collects) =>
    other.orderId === orderId && other.agreementId === agreementId && other.fromN === fromN
  return attemptKey(collects, before.filter(isOf).length)
}

/** The key of try number `n`, from 0. */
export function attemptKey({ orderId, agreementId, fromN }: Collects, n: number): string {
  return derivedKey('attempt', orderId, agreementId ?? 'today', String(fromN ?? 0), String(n))
}

/** A key that is the same for the same parts, and tells nobody what they are. */
export function derivedKey(...parts: string[]): string {
  return createHash('sha256').update(parts.join('\n')).digest('base64url').slice(0, 36)
}
