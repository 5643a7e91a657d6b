import { and, eq, inArray, lt } from 'drizzle-orm'
import { GatewayUnreachable } from '../../gateways/contract.ts'
import { inMode, type Services } from '../context.ts'
import { MODES } from '../db/schema/columns.ts'
import { attempts, connections, OPEN_ATTEMPTS } from '../db/schema/index.ts'
import { openConnection } from '../gateways/service.ts'
import { type Attempt, settleAttempt } from './settle.ts'

/** How long a call may be on its way before an absent key is closed. Longer than any gateway's time-out. */
export const CALL_SECONDS = 30
/** How long a buyer may take to approve a payment. */
const CONFIRM_SECONDS = 20 * 60
const LOOK_AGAIN_SECONDS = 30

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

/** Closes an attempt that the buyer walked away from; it may turn out to be collected already. */
export async function abandonAttempt(base: Services, attempt: Attempt): Promise<void> {
  const { adapter, credentials, connection } = await openConnection(base, attempt.connectionId)
  const services = await inMode(base, connection.mode)
  await settleAttempt(services, attempt.id, await adapter.abandon(credentials, attempt.key), 'lookup')
}

/** The worker's job: looks an attempt up until it is settled, however long that takes. */
export async function lookUpUntilSettled(services: Services, attemptId: string): Promise<void> {
  const attempt = await getAttempt(services, attemptId)
  if (!attempt || !OPEN_ATTEMPTS.includes(attempt.state)) return
  try {
    await lookUpAttempt(services, attempt)
  } catch (error) {
    if (!(error instanceof GatewayUnreachable)) throw error
    console.warn(`look-up of ${attempt.key}: ${error.message}; asking again`)
  }
  const after = await getAttempt(services, attemptId)
  if (after && OPEN_ATTEMPTS.includes(after.state)) {
    await services.jobs.send(services.db, 'attempt-lookup', { attemptId }, { afterSeconds: LOOK_AGAIN_SECONDS })
  }
}

/** Queues a look-up for every attempt that has been open too long: a net below the jobs. */
export async function sweepOpenAttempts(base: Services): Promise<number> {
  let queued = 0
  for (const mode of MODES) {
    const services = await inMode(base, mode)
    const before = new Date(services.now().getTime() - 10 * LOOK_AGAIN_SECONDS * 1000)
    const open = await services.db
      .select({ id: attempts.id })
      .from(attempts)
      .innerJoin(connections, eq(connections.id, attempts.connectionId))
      .where(
        and(eq(connections.mode, mode), inArray(attempts.state, [...OPEN_ATTEMPTS]), lt(attempts.startedAt, before)),
      )
    for (const { id } of open) await services.jobs.send(services.db, 'attempt-lookup', { attemptId: id }, { once: id })
    queued += open.length
  }
  return queued
}
