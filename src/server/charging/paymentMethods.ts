import { REFUSED } from '../../core/words/en/refused.ts'
import { say } from '../../core/words/message.ts'
import {
  type Adapter,
  type Capabilities,
  type Credentials,
  GatewayRefused,
  GatewayUnreachable,
} from '../../gateways/contract.ts'
import type { Mode } from '../db/schema/columns.ts'
import type { connections } from '../db/schema/index.ts'
import { capabilitiesOf, connectionBy, isReadable, openRow } from '../gateways/service.ts'
import { fieldProblem, Problem } from '../http/problem.ts'
import type { Services } from '../platform/context.ts'

/** The connection that a buyer chose, and the token of its fields; empty where it has none. */
export interface Payment {
  connectionId: string
  token: string
}

/** The method that later payments are charged to; `reference` null where the gateway saved none. */
export interface SavedMethod {
  connectionId: string
  reference: string | null
  method: string
  expires: string | null
}

type Connection = typeof connections.$inferSelect

/** A payment method of the school, opened for use; `gateway` null where nobody is asked, as for bank transfer. */
export interface OpenPaymentMethod {
  connection: Connection
  capabilities: Capabilities
  gateway: Gateway | null
}
export interface Gateway {
  adapter: Adapter
  credentials: Credentials
}

/**
 * The payment method that the buyer chose, opened for use. @throws Problem where it is not offered any more.
 * @param known its connection, where that was just read.
 */
export async function openPaymentMethod(
  services: Services,
  payment: Payment | null,
  mode: Mode,
  known?: Connection,
): Promise<OpenPaymentMethod> {
  if (!payment) throw fieldProblem('/payment', REFUSED.methodMissing)
  const isKnown = known?.id === payment.connectionId
  const [connection] = isKnown ? [known] : await connectionBy(services.db, { id: payment.connectionId })
  if (connection?.mode !== mode || connection.disconnectedAt !== null || connection.pausedAt !== null) {
    throw new Problem(409, 'method-not-offered', REFUSED.methodNotOffered)
  }
  if (!isReadable(services, connection.secret)) {
    throw new Problem(409, 'method-not-offered', REFUSED.methodPaused)
  }
  const capabilities = capabilitiesOf(services.gateways, connection.adapter)
  const gateway = capabilities.style === 'offline' ? null : await openRow(services, connection)
  return { connection, capabilities, gateway }
}

/**
 * Whether a gateway that did not answer lately does now, asked before it is asked for money: a payment begun while it is
 * down would have to be waited for.
 */
export async function isUp({ connection, gateway }: OpenPaymentMethod): Promise<boolean> {
  if (!gateway || connection.downSince === null) return true
  try {
    await gateway.adapter.verify(gateway.credentials)
    return true
  } catch (error) {
    if (!(error instanceof GatewayUnreachable)) throw error
    return false
  }
}

/** What is said where a gateway does not answer. */
export function gatewayDown({ capabilities }: OpenPaymentMethod): Problem {
  return new Problem(503, 'gateway-down', say(REFUSED.gatewayDown, { gateway: capabilities.name }))
}

/** What a gateway is asked to charge: the token of its fields, or what the buyer approves on its page. */
export function sourceOf({ capabilities }: OpenPaymentMethod, token: string, keep: boolean, returnUrl: string) {
  return capabilities.style === 'redirect' ? { returnUrl, keep } : { token, keep }
}

/** Saves the buyer's method where nothing is due today but later payments come. */
export async function saveMethod({ connection, gateway }: OpenPaymentMethod, token: string): Promise<SavedMethod> {
  if (!gateway) throw new Error('Nothing can be saved without a gateway.')
  try {
    const savedMethod = await gateway.adapter.keep(gateway.credentials, {
      key: crypto.randomUUID(),
      token,
    })
    return { connectionId: connection.id, ...savedMethod }
  } catch (error) {
    if (error instanceof GatewayRefused) throw new Problem(422, 'card-refused', REFUSED.notSavedForLater)
    if (error instanceof GatewayUnreachable) throw new Problem(502, 'gateway-unreachable', REFUSED.notChecked)
    throw error
  }
}
