import type { Adapter, Capabilities } from '../contract.ts'
import { type GatewayAddress, keepsNothing, overHttp } from '../overHttp.ts'

/** Brook Transfer's own description of itself, for shop and studio alike. */
const BROOK: Capabilities = {
  name: 'Brook Transfer',
  method: 'Transfer from your bank',
  currencies: ['EUR'],
  smallest: { EUR: 100 },
  largest: 1_500_000,
  chargesAgain: false,
  againUpTo: null,
  keepsUnused: false,
  style: 'redirect',
  refunds: 'part',
  known: 'later',
  fee: { rate: 60, fixed: { EUR: 15 } },
  standsAlone: 'by-account',
}

/** Speaks to Brook Transfer: the buyer approves at their bank, and the money is confirmed hours later. */
export function brookAdapter(address: GatewayAddress): Adapter {
  const { answerDispute: _none, ...verbs } = overHttp({ name: BROOK.name, path: 'brook' }, address)
  return { ...verbs, id: 'brook', capabilities: BROOK, fieldsUrl: () => null, keep: () => keepsNothing(BROOK.name) }
}
