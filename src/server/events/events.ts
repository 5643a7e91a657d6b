import { and, eq, sql } from 'drizzle-orm'
import { EventRefused, EventUnreadable, type GatewayEvent } from '../../gateways/contract.ts'
import { compiled } from '../db/compiled.ts'
import type { Mode } from '../db/schema/columns.ts'
import { attempts, eventRefusals, gatewayEvents } from '../db/schema/index.ts'
import type { Attempt } from '../fulfilment/notes.ts'
import { settleAttempt } from '../fulfilment/settle.ts'
import { adapterOf, connectionBy } from '../gateways/service.ts'
import { storable, storableJson } from '../http/plainText.ts'
import { Problem } from '../http/problem.ts'
import { busy } from '../http/unavailable.ts'
import { inMode, type Services } from '../platform/context.ts'
import { togetherIn } from '../platform/together.ts'
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
  const key = event.payment?.key ?? event.dispute?.key
  const [isFresh, [attempt], inItsMode] = await Promise.all([
    keep(db, {
      ...known,
      type: storable(event.type),
      body: JSON.parse(storableJson(body)),
      receivedAt: now(),
    }),
    key === undefined ? [] : attemptBy(db, { key, connectionId }),
    inMode(services, connection.mode),
  ])
  if (!isFresh) {
    const of = and(eq(gatewayEvents.connectionId, connectionId), eq(gatewayEvents.eventId, event.id))
    const [row] = await db.select({ state: gatewayEvents.state }).from(gatewayEvents).where(of)
    // One that arrived but was not finished, by a crash, is worked on again: settling twice is harmless.
    if (row?.state !== 'received') return
  }
  const result =
    key === undefined
      ? { state: 'unknown' as const, note: 'Not an event that this version acts on.' }
      : attempt
        ? await handle(inItsMode, connection.mode, event, attempt)
        : { state: 'unknown' as const, note: 'No attempt has this key.' }
  await finish(db, { ...known, ...result })
}

/** So many events are stored by one statement. */
const AT_ONCE = 50

type EventKey = Pick<typeof gatewayEvents.$inferSelect, 'connectionId' | 'eventId'>

/**
 * Stores events that arrive at the same time. A fall of the database forgets none whose payment is settled: that is
 * committed after it; of any other the gateway has had no answer yet, or it is only a record. @returns for each whether it is the first of its id.
 */
const keep = togetherIn(
  AT_ONCE,
  async (db, events: readonly (EventKey & { type: string; body: unknown; receivedAt: Date })[]): Promise<boolean[]> => {
    const stored = await db.execute<{ at: number }>(sql`
      with arrived as (
        select r.*, ordinality::int - 1 as at from rows from (jsonb_to_recordset(${JSON.stringify(events)}::jsonb)
          as ("connectionId" uuid, "eventId" text, type text, body jsonb, "receivedAt" timestamptz)) with ordinality r),
      stored as (
        insert into ${gatewayEvents} (connection_id, event_id, type, state, body, received_at)
        select "connectionId", "eventId", type, 'received', body, "receivedAt" from arrived on conflict do nothing
        returning connection_id, event_id)
      select min(a.at) as at from stored s join arrived a on a."connectionId" = s.connection_id and a."eventId" = s.event_id
      group by s.connection_id, s.event_id`)
    const fresh = new Set(stored.rows.map(({ at }) => at))
    return events.map((_, index) => fresh.has(index))
  },
)

/** Writes down what became of events that were handled at the same time. */
const finish = togetherIn(
  AT_ONCE,
  async (db, events: readonly (EventKey & Pick<typeof gatewayEvents.$inferSelect, 'state' | 'note'>)[]) => {
    await db.execute(sql`
      update ${gatewayEvents} e set state = r.state, note = r.note
      from jsonb_to_recordset(${JSON.stringify(events)}::jsonb)
        as r ("connectionId" uuid, "eventId" text, state text, note text)
      where e.connection_id = r."connectionId" and e.event_id = r."eventId"
        and e.event_id = any (${sql.param(events.map(({ eventId }) => eventId))}::text[])
        and e.connection_id = any (${sql.param(events.map(({ connectionId }) => connectionId))}::uuid[])`)
    return events.map(() => undefined)
  },
)

const attemptBy = compiled<{ key: string; connectionId: string }>()((db, given) =>
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

/** @param services in the mode of the attempt. */
async function handle(services: Services, mode: Mode, event: GatewayEvent, attempt: Pick<Attempt, 'id' | 'state'>) {
  if (!event.payment) {
    if (event.dispute) await noteDispute(services, mode, attempt.id, event.dispute)
    return { state: 'handled' as const, note: null }
  }
  // Mostly the answer came first, and there is nothing left to settle.
  const isOld = attempt.state === 'collected' && event.payment.outcome.state === 'collected'
  if (!isOld) await settleAttempt(services, attempt.id, event.payment.outcome, 'event')
  return { state: 'handled' as const, note: null }
}
