import { and, asc, eq, inArray, isNull, sql } from 'drizzle-orm'
import * as v from 'valibot'
import { formatList } from '../../core/sentence/words.ts'
import { BANK_TRANSFER, BANK_TRANSFER_ID } from '../../gateways/bankTransfer.ts'
import { type Adapter, type Capabilities, type Credentials, GatewayUnreachable } from '../../gateways/contract.ts'
import type { Gateways } from '../../gateways/registry.ts'
import { type Transaction, transaction } from '../db/client.ts'
import { compiled } from '../db/compiled.ts'
import type { Mode } from '../db/schema/columns.ts'
import { connections, type TransferSettings } from '../db/schema/index.ts'
import { fieldProblem, notFound, Problem } from '../http/problem.ts'
import { inMode, inTransaction, liveTime, type Services, type Within } from '../platform/context.ts'

/** A connected gateway and what it can do. */
export interface OfferedMethod {
  connectionId: string
  account: string
  adapter: string
  capabilities: Capabilities
  /** It does not answer at the moment. */
  isDown: boolean
  /** What the creator wrote for who pays by bank transfer. */
  transfer: TransferSettings | null
}

export const connectSchema = v.object({
  adapter: v.string(),
  account: v.pipe(
    v.string(),
    v.trim(),
    v.nonEmpty('Paste the account id.'),
    v.maxLength(200, 'This is too long for an account id.'),
  ),
  secret: v.pipe(
    v.string(),
    v.trim(),
    v.nonEmpty('Paste the secret key.'),
    v.maxLength(400, 'This is too long for a key.'),
  ),
  /** Those that cannot be offered beside it are paused. */
  displace: v.optional(v.boolean(), false),
})

/** A connection by its id, whatever has become of it. */
export const connectionBy = compiled<{ id: string }>()((db, given) =>
  db
    .select()
    .from(connections)
    .where(eq(connections.id, given('id'))),
)

export function adapterOf(gateways: Gateways, id: string): Adapter {
  const adapter = gateways.get(id)
  if (!adapter) throw notFound('gateway')
  return adapter
}

/** What a payment method can do, bank transfer too. */
export function capabilitiesOf(gateways: Gateways, id: string): Capabilities {
  return id === BANK_TRANSFER_ID ? BANK_TRANSFER : adapterOf(gateways, id).capabilities
}

/** For so long after a call without an answer a gateway counts as down, unless one is answered meanwhile. */
const DOWN_SECONDS = 120

/** The payment methods that buyers are offered in a mode, in their order: connected, and not paused. */
export async function offeredMethods(services: Services, mode: Mode): Promise<OfferedMethod[]> {
  const { db, gateways } = services
  const rows = await db
    .select()
    .from(connections)
    .where(and(eq(connections.mode, mode), isNull(connections.disconnectedAt), isNull(connections.pausedAt)))
    .orderBy(asc(connections.position), asc(connections.createdAt))
  // One whose key cannot be read cannot be paid by; Setup says so.
  const usable = rows.filter(({ secret }) => isReadable(services, secret))
  return usable.map(({ id, adapter, account, downSince, transfer }) => ({
    connectionId: id,
    account,
    adapter,
    capabilities: capabilitiesOf(gateways, adapter),
    isDown: downSince !== null && (liveTime(services).getTime() - downSince.getTime()) / 1000 < DOWN_SECONDS,
    transfer,
  }))
}

/** Whether a connection can be used: its key can be read, or it needs none. */
export function isReadable({ secrets }: Pick<Services, 'secrets'>, secret: string): boolean {
  return secret === '' || secrets.canOpen(secret)
}

/** A connection opened for use: its adapter, and its credentials with the clock of its mode. */
export async function openConnection(base: Services, connectionId: string) {
  const [connection] = await base.db.select().from(connections).where(eq(connections.id, connectionId))
  if (!connection) throw notFound('connection')
  return openRow(base, connection)
}

/** The same of a connection that was read already. @throws GatewayUnreachable where its key was sealed with a secret key that is not here. */
export async function openRow(base: Services, connection: typeof connections.$inferSelect) {
  const { gateways, secrets } = base
  const { now } = await inMode(base, connection.mode)
  const { account } = connection
  if (!secrets.canOpen(connection.secret)) {
    throw new GatewayUnreachable(
      'The key of this connection cannot be read: the secret key of the product has changed.',
    )
  }
  const credentials: Credentials = { account, secret: secrets.open(connection.secret), at: now().toISOString() }
  const adapter = adapterOf(gateways, connection.adapter)
  return { connection, adapter: watched(base, connection, adapter), credentials }
}

/** The adapter of a connection, whose silence is noted, and noted to be over. */
function watched(services: Services, { id, downSince }: typeof connections.$inferSelect, adapter: Adapter): Adapter {
  const note = (since: Date | null) =>
    services.db.update(connections).set({ downSince: since }).where(eq(connections.id, id))
  const watch =
    <A extends unknown[], T>(call: (...args: A) => Promise<T>) =>
    async (...args: A): Promise<T> => {
      try {
        const answer = await call(...args)
        if (downSince) await note(null)
        return answer
      } catch (error) {
        if (error instanceof GatewayUnreachable) await note(liveTime(services))
        throw error
      }
    }
  const { begin, keep, lookUp, abandon, listCollected, refund, verify } = adapter
  return {
    ...adapter,
    begin: watch(begin),
    keep: watch(keep),
    lookUp: watch(lookUp),
    abandon: watch(abandon),
    listCollected: watch(listCollected),
    refund: watch(refund),
    verify: watch(verify),
  }
}

const inUse = (mode: Mode) => and(eq(connections.mode, mode), isNull(connections.disconnectedAt))

/**
 * Checks credentials with the gateway at once and keeps them, sealed; keys of a connection that
 * stands already are replaced.
 * @throws Problem with the reason at the field; 409 `stands-alone` where others would have to be paused.
 */
export async function connectGateway(
  services: Services,
  mode: Mode,
  { adapter: id, account, secret, displace = false }: v.InferInput<typeof connectSchema>,
): Promise<void> {
  const { db, gateways, secrets, config, now } = services
  const adapter = adapterOf(gateways, id)
  const credentials: Credentials = { account, secret }
  const { name } = adapter.capabilities
  const verified = await reach(name, () => adapter.verify(credentials))
  if (!verified.ok) {
    throw verified.why === 'unknown-account'
      ? fieldProblem('/account', `${name} has no account with this id.`)
      : fieldProblem('/secret', 'This key does not open this account.')
  }
  if (verified.mode !== mode) {
    const is = verified.mode === 'live' ? 'Live' : 'Practice'
    const here = mode === 'live' ? 'Live' : 'Practice'
    throw fieldProblem('/secret', `This key is a ${is.toLowerCase()} key; you are in ${here}.`)
  }
  // The gateway is asked before the transaction begins: nothing in the database waits for its answer.
  const [connected] = await db
    .select({ id: connections.id })
    .from(connections)
    .where(and(inUse(mode), eq(connections.adapter, id)))
  const connectionId = connected?.id ?? crypto.randomUUID()
  const { signingSecret } = await reach(name, () =>
    adapter.listen(credentials, `${config.origin}/api/events/${connectionId}`),
  )
  await inTransaction(services, async (services) => {
    const { db: tx } = services
    const known = await readConnection(tx, mode, id)
    if (known && known.id !== connectionId) {
      throw new Problem(409, 'changed-elsewhere', `${name} was connected in another window. Reload the page.`)
    }
    await makeRoom(services, mode, { adapter: id, standsAlone: verified.standsAlone }, displace)
    const fields = {
      account,
      accountName: verified.accountName,
      standsAlone: verified.standsAlone,
      secret: secrets.seal(secret),
      secretEnds: secret.slice(-4),
      verifiedAt: now(),
      downSince: null,
      pausedAt: null,
    }
    await writeConnection(services, mode, id, connectionId, known !== null, {
      ...fields,
      signingSecret: secrets.seal(signingSecret),
    })
  })
}

/** The connection of a gateway in a mode, locked; null where there is none. */
export async function readConnection(tx: Transaction, mode: Mode, adapter: string) {
  const [known] = await tx
    .select()
    .from(connections)
    .where(and(inUse(mode), eq(connections.adapter, adapter)))
    .for('update')
  return known ?? null
}

type ConnectionFields = Omit<
  typeof connections.$inferInsert,
  'id' | 'mode' | 'adapter' | 'position' | 'createdAt' | 'disconnectedAt'
>

/** Stores a connection: what stands is changed, a new one comes after the others. */
export async function writeConnection(
  { db: tx, now }: Within,
  mode: Mode,
  adapter: string,
  id: string,
  isKnown: boolean,
  fields: ConnectionFields,
): Promise<void> {
  if (isKnown) {
    await tx.update(connections).set(fields).where(eq(connections.id, id))
    return
  }
  const [last] = await tx
    .select({ position: sql<number>`coalesce(max(${connections.position}), 0)::int` })
    .from(connections)
    .where(inUse(mode))
  const position = (last?.position ?? 0) + 1
  await tx.insert(connections).values({ id, mode, adapter, position, createdAt: now(), ...fields })
}

/**
 * Pauses what cannot be offered beside a payment method: everything, where it must stand alone; what must stand alone, where
 * that is there. @throws Problem 409 naming them, unless they may be displaced.
 */
export async function makeRoom(
  { db: tx, gateways, now }: Within,
  mode: Mode,
  paymentMethod: { adapter: string; standsAlone: boolean },
  displace: boolean,
): Promise<void> {
  const others = await tx
    .select()
    .from(connections)
    .where(and(inUse(mode), isNull(connections.pausedAt)))
    .orderBy(asc(connections.position))
    .for('update')
  const conflicting = others.filter(
    (other) => other.adapter !== paymentMethod.adapter && (paymentMethod.standsAlone || other.standsAlone),
  )
  if (conflicting.length === 0) return
  const names = formatList(conflicting.map(({ adapter }) => capabilitiesOf(gateways, adapter).name))
  if (!displace) {
    const { name } = capabilitiesOf(gateways, paymentMethod.adapter)
    const why = paymentMethod.standsAlone
      ? `By this account’s terms ${name} must be the only payment method. ${names} would be paused: buyers are no longer offered it, and agreed payments are still collected.`
      : `By its account’s terms ${names} must be the only payment method. It would be paused beside ${name}: buyers are no longer offered it, and agreed payments are still collected.`
    throw new Problem(409, 'stands-alone', why)
  }
  await tx
    .update(connections)
    .set({ pausedAt: now() })
    .where(
      inArray(
        connections.id,
        conflicting.map(({ id }) => id),
      ),
    )
}

/** Stops or goes on offering a payment method to buyers; what is agreed is collected either way. */
export async function pauseGateway(
  services: Services,
  mode: Mode,
  adapter: string,
  isPaused: boolean,
  displace: boolean,
): Promise<void> {
  await inTransaction(services, async (services) => {
    const { db: tx } = services
    const known = await readConnection(tx, mode, adapter)
    if (!known) throw notFound('connection')
    if (!isPaused) await makeRoom(services, mode, known, displace)
    await tx
      .update(connections)
      .set({ pausedAt: isPaused ? services.now() : null })
      .where(eq(connections.id, known.id))
  })
}

/** Puts the payment methods into the order in which buyers see them. @throws Problem 422 where it does not name them all. */
export async function orderGateways({ db }: Services, mode: Mode, order: string[]): Promise<void> {
  await transaction(db, async (tx) => {
    const rows = await tx.select().from(connections).where(inUse(mode)).for('update')
    const named = new Set(order)
    if (named.size !== rows.length || rows.some(({ adapter }) => !named.has(adapter))) {
      throw fieldProblem('/order', 'The payment methods were changed in another window. Reload, and order them again.')
    }
    for (const { id, adapter } of rows) {
      await tx
        .update(connections)
        .set({ position: order.indexOf(adapter) + 1 })
        .where(eq(connections.id, id))
    }
  })
}

/** Takes a gateway out of the checkout. What was paid through it stays; open attempts are still looked up. */
export async function disconnectGateway({ db, now }: Services, mode: Mode, adapter: string): Promise<void> {
  const gone = await db
    .update(connections)
    .set({ disconnectedAt: now() })
    .where(and(inUse(mode), eq(connections.adapter, adapter)))
    .returning({ id: connections.id })
  if (gone.length === 0) throw notFound('connection')
}

async function reach<T>(name: string, call: () => Promise<T>): Promise<T> {
  try {
    return await call()
  } catch (error) {
    if (error instanceof GatewayUnreachable) {
      throw new Problem(
        502,
        'gateway-unreachable',
        `${name} does not answer at the moment. Nothing was changed; try again.`,
      )
    }
    throw error
  }
}
