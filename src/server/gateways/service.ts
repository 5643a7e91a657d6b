import { and, asc, desc, eq, isNull } from 'drizzle-orm'
import * as v from 'valibot'
import { type Adapter, type Capabilities, type Credentials, GatewayUnreachable } from '../../gateways/contract.ts'
import type { Gateways } from '../../gateways/registry.ts'
import type { Services } from '../context.ts'
import type { Queryable } from '../db/client.ts'
import type { Mode } from '../db/schema/columns.ts'
import { connections, gatewayEvents } from '../db/schema/index.ts'
import { fieldProblem, notFound, Problem } from '../http/problem.ts'

/** A connected gateway and what it can do. */
export interface Way {
  connectionId: string
  account: string
  adapter: string
  capabilities: Capabilities
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
})

export function adapterOf(gateways: Gateways, id: string): Adapter {
  const adapter = gateways.get(id)
  if (!adapter) throw notFound('gateway')
  return adapter
}

/** The gateways connected in a mode, in the order in which buyers see them. */
export async function waysIn(db: Queryable, gateways: Gateways, mode: Mode): Promise<Way[]> {
  const rows = await db
    .select({ id: connections.id, adapter: connections.adapter, account: connections.account })
    .from(connections)
    .where(and(eq(connections.mode, mode), isNull(connections.disconnectedAt)))
    .orderBy(asc(connections.position), asc(connections.createdAt))
  return rows.map(({ id, adapter, account }) => ({
    connectionId: id,
    account,
    adapter,
    capabilities: adapterOf(gateways, adapter).capabilities,
  }))
}

/** Every gateway that ships, with its connection in the mode and the newest events; never a secret. */
export async function listGateways({ db, gateways, config }: Services, mode: Mode) {
  const rows = await db
    .select({
      id: connections.id,
      adapter: connections.adapter,
      account: connections.account,
      accountName: connections.accountName,
      secretEnds: connections.secretEnds,
      verifiedAt: connections.verifiedAt,
    })
    .from(connections)
    .where(and(eq(connections.mode, mode), isNull(connections.disconnectedAt)))
  const events = await db
    .select({
      id: gatewayEvents.id,
      type: gatewayEvents.type,
      state: gatewayEvents.state,
      note: gatewayEvents.note,
      receivedAt: gatewayEvents.receivedAt,
    })
    .from(gatewayEvents)
    .innerJoin(connections, eq(connections.id, gatewayEvents.connectionId))
    .where(eq(connections.mode, mode))
    .orderBy(desc(gatewayEvents.id))
    .limit(12)
  return {
    console: config.standinsOrigin,
    gateways: [...gateways.values()].map((adapter) => ({
      id: adapter.id,
      capabilities: adapter.capabilities,
      connection: rows.find((row) => row.adapter === adapter.id) ?? null,
    })),
    events,
  }
}

/**
 * Checks credentials with the gateway at once and keeps them, sealed; keys of a connection that
 * stands already are replaced.
 * @throws Problem with the reason at the field.
 */
export async function connectGateway(
  services: Services,
  mode: Mode,
  input: v.InferOutput<typeof connectSchema>,
): Promise<void> {
  const { db, gateways, secrets, config, now } = services
  const adapter = adapterOf(gateways, input.adapter)
  const credentials: Credentials = { account: input.account, secret: input.secret }
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
  await db.transaction(async (tx) => {
    const [known] = await tx
      .select()
      .from(connections)
      .where(and(eq(connections.mode, mode), eq(connections.adapter, adapter.id), isNull(connections.disconnectedAt)))
      .for('update')
    const fields = {
      account: input.account,
      accountName: verified.accountName,
      secret: secrets.seal(input.secret),
      secretEnds: input.secret.slice(-4),
      verifiedAt: now(),
    }
    const id = known?.id ?? crypto.randomUUID()
    const { signingSecret } = await reach(name, () => adapter.listen(credentials, `${config.origin}/api/events/${id}`))
    const sealed = { ...fields, signingSecret: secrets.seal(signingSecret) }
    if (known) await tx.update(connections).set(sealed).where(eq(connections.id, id))
    else await tx.insert(connections).values({ id, mode, adapter: adapter.id, createdAt: now(), ...sealed })
  })
}

/** Takes a gateway out of the checkout. What was paid through it stays; open attempts are still looked up. */
export async function disconnectGateway({ db, now }: Services, mode: Mode, adapter: string): Promise<void> {
  const gone = await db
    .update(connections)
    .set({ disconnectedAt: now() })
    .where(and(eq(connections.mode, mode), eq(connections.adapter, adapter), isNull(connections.disconnectedAt)))
    .returning({ id: connections.id })
  if (gone.length === 0) throw notFound('connection')
}

/** A connection opened for use: its adapter and its credentials. */
export async function openConnection({ db, gateways, secrets }: Services, connectionId: string) {
  const [connection] = await db.select().from(connections).where(eq(connections.id, connectionId))
  if (!connection) throw notFound('connection')
  const credentials: Credentials = { account: connection.account, secret: secrets.open(connection.secret) }
  return { connection, adapter: adapterOf(gateways, connection.adapter), credentials }
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
