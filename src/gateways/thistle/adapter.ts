import type { Adapter, Capabilities } from '../contract.ts'
import { type GatewayAddress, overHttp } from '../overHttp.ts'

/** Thistle Card's own description of itself, for shop and studio alike. */
const THISTLE: Capabilities = {
  name: 'Thistle Card',
  method: 'Card',
  currencies: 'any',
  smallest: { EUR: 50, USD: 50, GBP: 30, CHF: 50, JPY: 50, KWD: 150 },
  largest: 99_999_999_999,
  chargesAgain: true,
  againUpTo: null,
  keepsUnused: true,
  style: 'embedded',
  refunds: 'part',
  known: 'at-once',
  fee: { rate: 170, fixed: { EUR: 19 } },
  standsAlone: 'never',
}

/** Speaks to Thistle Card: cards, whose fields stand in a frame of its origin. */
export function thistleAdapter(address: GatewayAddress): Adapter {
  const { origin, parentOrigin } = address
  return {
    ...overHttp({ name: THISTLE.name, path: 'thistle' }, address),
    id: 'thistle',
    capabilities: THISTLE,
    fieldsUrl(account, mode, at) {
      const query = new URLSearchParams({ account, mode, parent: parentOrigin, ...(mode === 'practice' ? { at } : {}) })
      return `${origin}/thistle/fields?${query}`
    },
  }
}
