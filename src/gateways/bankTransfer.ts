import type { Capabilities } from './contract.ts'

/** The id by which connections name bank transfer. It has no adapter: nobody but a person can say that money came. */
export const BANK_TRANSFER_ID = 'transfer'

/** What a transfer to the school's own account can do. */
export const BANK_TRANSFER: Capabilities = {
  name: 'Bank transfer',
  method: 'Bank transfer',
  currencies: 'any',
  smallest: {},
  largest: 99_999_999_999,
  chargesAgain: false,
  againUpTo: null,
  keepsUnused: false,
  style: 'offline',
  refunds: 'part',
  known: 'later',
  fee: { rate: 0, fixed: {} },
  standsAlone: 'never',
}
