import type { Adapter, Capabilities } from '../contract.ts'
import { type GatewayAddress, keepsNothing, overHttp } from '../overHttp.ts'

/** Moor Wallet's own description of itself, for shop and studio alike. */
const MOOR: Capabilities = {
  name: 'Moor Wallet',
  method: 'Wallet',
  currencies: ['EUR', 'USD', 'GBP', 'CHF', 'SEK', 'DKK', 'NOK', 'PLN'],
  smallest: { EUR: 100, USD: 100, GBP: 100, CHF: 100 },
  largest: 1_000_000,
  chargesAgain: true,
  againUpTo: {
    EUR: 50_000,
    USD: 50_000,
    GBP: 45_000,
    CHF: 50_000,
    SEK: 500_000,
    DKK: 350_000,
    NOK: 500_000,
    PLN: 200_000,
  },
  keepsUnused: false,
  style: 'redirect',
  refunds: 'whole',
  known: 'at-once',
  fee: { rate: 240, fixed: { EUR: 10 } },
  standsAlone: 'never',
}

/** Speaks to Moor Wallet: the buyer goes there, approves, and comes back; an approval may be kept for later charges. */
export function moorAdapter(address: GatewayAddress): Adapter {
  const { answerDispute: _none, ...verbs } = overHttp({ name: MOOR.name, path: 'moor' }, address)
  return { ...verbs, id: 'moor', capabilities: MOOR, fieldsUrl: () => null, keep: () => keepsNothing(MOOR.name) }
}
