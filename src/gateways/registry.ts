import { BANK_TRANSFER, BANK_TRANSFER_ID } from './bankTransfer.ts'
import { brookAdapter } from './brook/adapter.ts'
import type { Adapter, Capabilities } from './contract.ts'
import { moorAdapter } from './moor/adapter.ts'
import { thistleAdapter } from './thistle/adapter.ts'

export type Gateways = ReadonlyMap<string, Adapter>

/** All adapters that ship with the product, by id. */
export function allGateways(standinsOrigin: string, parentOrigin: string, timeoutMs = 8000): Gateways {
  const address = { origin: standinsOrigin, parentOrigin, timeoutMs }
  const adapters = [thistleAdapter(address), moorAdapter(address), brookAdapter(address)]
  return new Map(adapters.map((adapter) => [adapter.id, adapter]))
}

/** Every payment method that can be set up, bank transfer too, with what it can do. */
export function allPaymentMethods(gateways: Gateways): { id: string; capabilities: Capabilities }[] {
  const adapters = [...gateways.values()].map(({ id, capabilities }) => ({ id, capabilities }))
  return [...adapters, { id: BANK_TRANSFER_ID, capabilities: BANK_TRANSFER }]
}
