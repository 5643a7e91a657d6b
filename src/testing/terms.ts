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
