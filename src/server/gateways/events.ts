import { and, eq } from 'drizzle-orm'
import { EventRefused, type GatewayEvent } from '../../gateways/contract.ts'
import { settleAttempt } from '../checkout/settle.ts'
import { inMode, type Services } from '../context.ts'
import type { Mode } from '../db/schema/columns.ts'
import { attempts, connections, gatewayEvents } from '../db/schema/index.ts'
import { Problem } from '../http/problem.ts'
import { noteDispute } from '../refunds/disputes.ts'
import { adapterOf } from './service.ts'

/**
 * Takes one event of a gateway. Signature and age are checked before anything is believed; a bad
 * one leaves a row and gets 401. One that came before changes nothing; one that nobody
 * understands is kept.
 */
export async function receiveEvent(
  services: Services,
  connectionId: string,
  headers: Record<string, string>,
  body: string,
): Promise<void> {
  const { db, gateways, secrets, now } = services
  const [connection] = await db.select().from(connections).where(eq(connections.id, connectionId))
  if (!connection) throw new Problem(404, 'not-found', 'There is no such connection.')
  let event: GatewayEvent
  try {
    event = adapterOf(gateways, connection.adapter).readEvent(secrets.open(connection.signingSecret), headers, body)
  } catch (error) {
    if (!(error instanceof EventRefused)) throw error
    await db.insert(gatewayEvents).values({ connectionId, state: 'refused', note: error.message, receivedAt: now() })
    throw new Problem(401, 'event-refused', 'The signature or the age of this event is wrong.')
  }
  const known = and(eq(gatewayEvents.connectionId, connectionId), eq(gatewayEvents.eventId, event.id))
  const [fresh] = await db
    .insert(gatewayEvents)
    .values({
      connectionId,
      eventId: event.id,
      type: event.type,
      state: 'received',
      body: JSON.parse(body),
      receivedAt: now(),
    })
    .onConflictDoNothing()
    .returning({ id: gatewayEvents.id })
  if (!fresh) {
    const [row] = await db.select({ state: gatewayEvents.state }).from(gatewayEvents).where(known)
    // One that arrived but was not finished, by a crash, is worked on again: settling twice is harmless.
    if (row?.state !== 'received') return
  }
  const result = await handle(services, connection, event)
  await db.update(gatewayEvents).set(result).where(known)
}

async function handle(services: Services, { id: connectionId, mode }: { id: string; mode: Mode }, event: GatewayEvent) {
  const key = event.payment?.key ?? event.dispute?.key
  if (key === undefined) return { state: 'unknown' as const, note: 'Not an event that this version acts on.' }
  const [attempt] = await services.db
    .select({ id: attempts.id, state: attempts.state })
    .from(attempts)
    .where(and(eq(attempts.key, key), eq(attempts.connectionId, connectionId)))
  if (!attempt) return { state: 'unknown' as const, note: 'No attempt has this key.' }
  if (!event.payment) {
    if (event.dispute) await noteDispute(services, mode, attempt.id, event.dispute)
    return { state: 'handled' as const, note: null }
  }
  // Mostly the answer came first, and there is nothing left to settle.
  const isOld = attempt.state === 'collected' && event.payment.outcome.state === 'collected'
  if (!isOld) await settleAttempt(await inMode(services, mode), attempt.id, event.payment.outcome, 'event')
  return { state: 'handled' as const, note: null }
}
