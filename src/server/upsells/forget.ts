import { and, eq, inArray, lte, notInArray } from 'drizzle-orm'
import { GatewayUnreachable } from '../../gateways/contract.ts'
import { MODES } from '../db/schema/columns.ts'
import { agreements, attempts, connections, OPEN_ATTEMPTS, orders } from '../db/schema/index.ts'
import { openRow } from '../gateways/service.ts'
import { inMode, type Services } from '../platform/context.ts'

/** So many are forgotten in one go. */
const AT_ONCE = 100

/**
 * Has the gateways forget every method that was saved for upsells alone, once those have ended. What later payments are
 * charged to stays. A gateway that does not answer is asked at the next sweep. @returns how many were forgotten.
 */
export async function forgetMethods(base: Services): Promise<number> {
  let forgotten = 0
  for (const mode of MODES) {
    const services = await inMode(base, mode)
    const { db } = services
    const due = await db
      .select({ attempt: attempts, connection: connections })
      .from(attempts)
      .innerJoin(orders, eq(orders.id, attempts.orderId))
      .innerJoin(connections, eq(connections.id, attempts.connectionId))
      .where(
        and(
          eq(orders.mode, mode),
          lte(attempts.forgetAt, services.now()),
          notInArray(attempts.state, [...OPEN_ATTEMPTS]),
        ),
      )
      .limit(AT_ONCE)
    for (const { attempt, connection } of due) {
      const { connectionId, savedMethod } = attempt
      const isSaved = attempt.state === 'collected' && savedMethod !== null && connection.disconnectedAt === null
      if (!isSaved || (await isNeeded(services, connectionId, savedMethod))) {
        await db.update(attempts).set({ forgetAt: null }).where(eq(attempts.id, attempt.id))
        continue
      }
      if (await isBeingCharged(services, connectionId, savedMethod)) continue
      try {
        const { adapter, credentials } = await openRow(services, connection)
        await adapter.forget(credentials, savedMethod)
      } catch (error) {
        if (!(error instanceof GatewayUnreachable)) throw error
        continue
      }
      await db
        .update(attempts)
        .set({ savedMethod: null, expires: null, forgetAt: null })
        .where(and(eq(attempts.connectionId, connectionId), eq(attempts.savedMethod, savedMethod)))
      forgotten++
    }
  }
  return forgotten
}

/** Whether later payments are charged to a method. */
async function isNeeded({ db }: Services, connectionId: string, savedMethod: string): Promise<boolean> {
  const by = and(eq(agreements.connectionId, connectionId), eq(agreements.savedMethod, savedMethod))
  return (await db.$count(agreements, by)) > 0
}

/** Whether an upsell is being paid with a method in this moment. */
async function isBeingCharged({ db }: Services, connectionId: string, savedMethod: string): Promise<boolean> {
  const by = and(
    eq(attempts.connectionId, connectionId),
    eq(attempts.savedMethod, savedMethod),
    inArray(attempts.state, [...OPEN_ATTEMPTS]),
  )
  return (await db.$count(attempts, by)) > 0
}
