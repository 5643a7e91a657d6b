import type { DraftTerms } from '../core/content/offer.ts'

/** Three payments of 43, a month apart. */
export const THREE_PARTS: DraftTerms = {
  kind: 'installments',
  count: 3,
  every: { count: 1, unit: 'month' },
  amount: 4300,
  total: null,
  deposit: null,
  trial: null,
}

/** 19 a month until it is cancelled. */
export const MONTHLY = {
  kind: 'subscription',
  amount: 1900,
  every: { count: 1, unit: 'month' },
  payments: null,
  setupFee: null,
  trial: null,
} as const satisfies DraftTerms

/** Open while it is paid, and three days longer. */
export const WHILE_PAYING = { from: null, lasts: 'whilePaying', graceDays: 3 } as const
