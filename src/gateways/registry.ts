import type { Adapter } from './contract.ts'
import { thistleAdapter } from './thistle/adapter.ts'

export type Gateways = ReadonlyMap<string, Adapter>

/** All adapters that ship with the product, by id. */
export function allGateways(standinsOrigin: string, parentOrigin: string, timeoutMs = 8000): Gateways {
  const adapters = [thistleAdapter({ origin: standinsOrigin, parentOrigin, timeoutMs })]
  return new Map(adapters.map((adapter) => [adapter.id, adapter]))
}
