import { and, eq, inArray, lt, ne } from 'drizzle-orm'
import { BANK_TRANSFER_ID } from '../../gateways/bankTransfer.ts'
import { GatewayUnreachable } from '../../gateways/contract.ts'
import { CALL_SECONDS } from '../charging/start.ts'
import { MODES, type Mode } from '../db/schema/columns.ts'
import { attempts, connections, OPEN_ATTEMPTS } from '../db/schema/index.ts'
import type { Attempt } from '../fulfilment/notes.ts'
import { settleAttempt } from '../fulfilment/settle.ts'
import { openConnection } from '../gateways/service.ts'
import { log } from '../log/log.ts'
import { inMode, type Services } from '../platform/context.ts'
import { awaitTransfer, isByTransfer } from '../transfers/transfers.ts'

/** How long a buyer may take to approve a payment. */
const CONFIRM_SECONDS = 20 * 60
const LOOK_AGAIN_SECONDS = 30
/** How often money that comes hours later is asked for, besides its event. */
const AWAITED_SECONDS = 30 * 60

function ageOf(services: Services, attempt: Attempt): number {
  return (services.now().getTime() - attempt.startedAt.getTime()) / 1000
}

async function getAttempt({ db }: Services, id: string): Promise<Attempt | null> {
  const [attempt] = await db.select().from(attempts).where(eq(attempts.id, id))
  return attempt ?? null
}

/**
 * Asks the gateway what became of an attempt, by its key, and settles it. A key that the gateway
 * has never seen is closed there once no call can still be on its way, never charged again.
 * @throws GatewayUnreachable where the gateway does not answer.
 */
export async function lookUpAttempt(base: Services, attempt: Attempt): Promise<void> {
  if (!OPEN_ATTEMPTS.includes(attempt.state)) return
  if (await isByTransfer(base, attempt)) return awaitTransfer(base, attempt)
  const { adapter, credentials, connection } = await openConnection(base, attempt.connectionId)
  const services = await inMode(base, connection.mode)
  const outcome = await adapter.lookUp(credentials, attempt.key)
  const age = ageOf(services, attempt)
  const isStale =
    outcome.state === 'absent' ? age > CALL_SECONDS : outcome.state === 'confirming' && age > CONFIRM_SECONDS
  await settleAttempt(
    services,
    attempt.id,
    isStale ? await adapter.abandon(credentials, attempt.key) : outcome,
    'lookup',
  )
}

/** Asks about everything in a mode whose money comes later, for practice time that was moved. */
export async function lookUpAwaited(services: Services, mode: Mode): Promise<number> {
  const rows = await services.db
    .select({ attempt: attempts })
    .from(attempts)
    .innerJoin(connections, eq(connections.id, attempts.connectionId))
    .where(and(eq(connections.mode, mode), ne(connections.adapter, BANK_TRANSFER_ID), eq(attempts.state, 'awaiting')))
  for (const { attempt } of rows) {
    try {
      await lookUpAttempt(services, attempt)
    } catch (error) {
      // It is asked again by its job; the others are not kept waiting.
      if (!(error instanceof GatewayUnreachable)) throw error
    }
  }
  return rows.length
}

/** Closes an attempt that the buyer walked away from; it may turn out to be collected already. */
export async function abandonAttempt(base: Services, attempt: Attempt): Promise<void> {
  const { adapter, credentials, connection } = await openConnection(base, attempt.connectionId)
  const services = await inMode(base, connection.mode)
  await settleAttempt(services, attempt.id, await adapter.abandon(credentials, attempt.key), 'lookup')
}

/** Closes an attempt that waits for the buyer's approval; of any other the gateway is asked what became of it. */
export function leaveAttempt(services: Services, attempt: Attempt): Promise<void> {
  return attempt.state === 'confirming' ? abandonAttempt(services, attempt) : lookUpAttempt(services, attempt)
}

/** The worker's job: looks an attempt up until it is settled, however long that takes. */
export async function lookUpUntilSettled(services: Services, attemptId: string): Promise<void> {
  const attempt = await getAttempt(services, attemptId)
  if (!attempt || !OPEN_ATTEMPTS.includes(attempt.state)) return
  try {
    await lookUpAttempt(services, attempt)
  } catch (error) {
    if (!(error instanceof GatewayUnreachable)) throw error
    log('warn', `look-up of an attempt at ${attempt.connectionId}: ${error.message}; asking again`)
  }
  const after = await getAttempt(services, attemptId)
  // Of a bank transfer only a person can say that it came.
  if (!after || !OPEN_ATTEMPTS.includes(after.state) || (await isByTransfer(services, after))) return
  const afterSeconds = after.state === 'awaiting' ? AWAITED_SECONDS : LOOK_AGAIN_SECONDS
  await services.jobs.send(services.db, 'attempt-lookup', { attemptId }, { afterSeconds })
}

/** Queues a look-up for every attempt that has been open too long: a net below the jobs. */
export async function sweepOpenAttempts(base: Services): Promise<number> {
  let queued = 0
  for (const mode of MODES) {
    const services = await inMode(base, mode)
    const before = new Date(services.now().getTime() - 10 * LOOK_AGAIN_SECONDS * 1000)
    const open = await services.db
      .select({ id: attempts.id, state: attempts.state })
      .from(attempts)
      .innerJoin(connections, eq(connections.id, attempts.connectionId))
      .where(
        and(
          eq(connections.mode, mode),
          ne(connections.adapter, BANK_TRANSFER_ID),
          inArray(attempts.state, [...OPEN_ATTEMPTS]),
          lt(attempts.startedAt, before),
        ),
      )
    for (const { id, state } of open) {
      const onceInSeconds = state === 'awaiting' ? AWAITED_SECONDS : 60
      await services.jobs.send(services.db, 'attempt-lookup', { attemptId: id }, { once: id, onceInSeconds })
    }
    queued += open.length
  }
  return queued
}
