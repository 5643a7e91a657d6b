import { and, eq, sql } from 'drizzle-orm'
import { EventRefused, EventUnreadable, type GatewayEvent } from '../../gateways/contract.ts'
import { compiled, lookup } from '../db/compiled.ts'
import type { Mode } from '../db/schema/columns.ts'
import { attempts, eventRefusals, gatewayEvents } from '../db/schema/index.ts'
import { settleAttempt } from '../fulfilment/settle.ts'
import { adapterOf, connectionBy } from '../gateways/service.ts'
import { storable, storableJson } from '../http/plainText.ts'
import { Problem } from '../http/problem.ts'
import { busy } from '../http/unavailable.ts'
import { inMode, type Services } from '../platform/context.ts'
import { noteDispute } from '../refunds/disputes.ts'

/**
 * Takes one event of a gateway. Signature and age are checked before anything is believed; a bad
 * one is counted and gets 401. One that came before changes nothing; one that nobody
 * understands is kept.
 */
export async function receiveEvent(
  services: Services,
  connectionId: string,
  headers: Record<string, string>,
  body: string,
): Promise<void> {
  const { db, gateways, now } = services
  const [connection] = await connectionBy(db, { id: connectionId })
  if (!connection) throw new Problem(404, 'not-found', 'There is no such connection.')
  // The gateway sends it again later; by then the key may be back.
  if (!services.secrets.canOpen(connection.signingSecret)) throw busy()
  const secret = services.secrets.open(connection.signingSecret)
  let event: GatewayEvent
  try {
    event = adapterOf(gateways, connection.adapter).readEvent(secret, headers, body)
  } catch (error) {
    if (error instanceof EventUnreadable) return keepUnreadable(services, connectionId, error, body)
    if (!(error instanceof EventRefused)) throw error
    await countRefusal(services, connectionId, error.message)
    throw new Problem(401, 'event-refused', 'The signature or the age of this event is wrong.')
  }
  const known = { connectionId, eventId: event.id }
  const [fresh] = await keepEvent(db, {
    ...known,
    type: storable(event.type),
    body: JSON.parse(storableJson(body)),
    at: now(),
  })
  if (!fresh) {
    const of = and(eq(gatewayEvents.connectionId, connectionId), eq(gatewayEvents.eventId, event.id))
    const [row] = await db.select({ state: gatewayEvents.state }).from(gatewayEvents).where(of)
    // One that arrived but was not finished, by a crash, is worked on again: settling twice is harmless.
    if (row?.state !== 'received') return
  }
  const result = await handle(services, connection, event)
  await finishEvent(db, { ...known, ...result })
}

const keepEvent = compiled<{ connectionId: string; eventId: string; type: string; body: unknown; at: Date }>()(
  (db, given) =>
    db
      .insert(gatewayEvents)
      .values({
        connectionId: given('connectionId'),
        eventId: given('eventId'),
        type: given('type'),
        state: 'received',
        body: given('body'),
        receivedAt: given('at'),
      })
      .onConflictDoNothing()
      .returning({ id: gatewayEvents.id }),
)

const finishEvent = compiled<{ connectionId: string; eventId: string; state: string; note: string | null }>()(
  (db, given) =>
    db
      .update(gatewayEvents)
      .set({ state: sql`${given('state')}`, note: sql`${given('note')}` })
      .where(and(eq(gatewayEvents.connectionId, given('connectionId')), eq(gatewayEvents.eventId, given('eventId')))),
)

const attemptBy = lookup<{ key: string; connectionId: string }>()((db, given) =>
  db
    .select({ id: attempts.id, state: attempts.state })
    .from(attempts)
    .where(and(eq(attempts.key, given('key')), eq(attempts.connectionId, given('connectionId')))),
)

/** Keeps an event that is rightly signed and cannot be read: it stands under attention, and the sender need not repeat it. */
async function keepUnreadable(
  { db, now }: Services,
  connectionId: string,
  { id, message }: EventUnreadable,
  body: string,
): Promise<void> {
  await db
    .insert(gatewayEvents)
    .values({
      connectionId,
      eventId: id,
      state: 'unreadable',
      note: storable(message),
      body: { text: storable(body).slice(0, 4000) },
      receivedAt: now(),
    })
    .onConflictDoNothing()
}

/** Counts an event that nobody signed, by connection and day: as many as anybody likes to send are one row. */
async function countRefusal({ db, now }: Services, connectionId: string, note: string): Promise<void> {
  const day = now().toISOString().slice(0, 10)
  await db
    .insert(eventRefusals)
    .values({ connectionId, day, count: 1, lastNote: note, lastAt: now() })
    .onConflictDoUpdate({
      target: [eventRefusals.connectionId, eventRefusals.day],
      set: { count: sql`${eventRefusals.count} + 1`, lastNote: note, lastAt: now() },
    })
}

async function handle(services: Services, { id: connectionId, mode }: { id: string; mode: Mode }, event: GatewayEvent) {
  const key = event.payment?.key ?? event.dispute?.key
  if (key === undefined) return { state: 'unknown' as const, note: 'Not an event that this version acts on.' }
  const [attempt] = await attemptBy(services.db, { key, connectionId })
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
