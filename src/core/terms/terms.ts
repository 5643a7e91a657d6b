import type { Day, Span } from '../calendar/day.ts'
import type { Amount, BasisPoints } from '../money/arithmetic.ts'

/** Price terms of an offer (pricing rules, section 3). Amounts in minor units. */
export type Terms = FreeTerms | SingleTerms | OpenPriceTerms | InstallmentTerms | SubscriptionTerms

export type TermsKind = Terms['kind']

export interface FreeTerms {
  kind: 'free'
}

export interface SingleTerms {
  kind: 'single'
  amount: Amount
}

/** The buyer names the price, at least `minimum`. */
export interface OpenPriceTerms {
  kind: 'openPrice'
  minimum: Amount
  suggested: Amount
}

/** A number of payments; either `amount` of each or `total` of all. The deposit comes on top. */
export interface InstallmentTerms {
  kind: 'installments'
  count: number
  every: Span
  amount: Amount | null
  total: Amount | null
  deposit: Amount | null
  trial: Trial | null
}

/** Payments that repeat; `payments` null goes on until cancelled. */
export interface SubscriptionTerms {
  kind: 'subscription'
  amount: Amount
  every: Span
  payments: number | null
  setupFee: Amount
  trial: Trial | null
}

export interface Trial {
  length: Span
  amount: Amount
}

/** When a course opens and closes for who buys it (pricing rules, section 8). */
export interface Access {
  from: Day | null
  lasts: 'forever' | 'whilePaying' | Span | { until: Day }
  graceDays: number
}

export type TaxMode = 'none' | 'inclusive' | 'exclusive'

export interface Tax {
  mode: TaxMode
  rate: BasisPoints
}
