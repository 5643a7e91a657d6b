import type { Day } from '../calendar/day.ts'
import type { Instant } from '../calendar/instant.ts'
import type { Amount, BasisPoints } from '../money/arithmetic.ts'
import type { Access, Tax, Terms } from '../terms/terms.ts'

/** What is asked of the quote: a basket, the codes entered, and the moment (pricing rules, section 10). */
export interface QuoteRequest {
  currency: string
  timeZone: string
  at: Instant
  tax: Tax
  /** How many regular payments of a subscription until cancelled are listed. */
  horizon: number
  buyer: { purchases: number }
  lines: QuoteLine[]
  coupons: Coupon[]
  codes: string[]
}

export type Role = 'main' | 'bump' | 'upsell'

export interface QuoteLine {
  role: Role
  /** The buyer's own price, on `openPrice` terms only. */
  chosen: Amount | null
  offer: QuotedOffer
}

export interface QuotedOffer {
  id: string
  courses: { id: string; weight: number }[]
  terms: Terms
  sale: Sale | null
  taxRate: BasisPoints | null
  access: Access
}

/** A price in force while from ≤ at < until. */
export interface Sale {
  amount: Amount
  from: Instant | null
  until: Instant | null
  scope: 'every' | 'first'
}

export interface Coupon {
  code: string
  reduction: { kind: 'percent'; rate: BasisPoints } | { kind: 'fixed'; amount: Amount; currency: string }
  /** How many numbered payments of a line it reduces; null: all. */
  payments: number | null
  offers: Set<string> | null
  roles: Set<Role>
  skipsSale: boolean
  minimum: Amount
  startsAt: Instant | null
  endsAt: Instant | null
  limit: number | null
  used: number
  limitPerBuyer: number | null
  usedByBuyer: number
  firstPurchaseOnly: boolean
  combines: boolean
}

export type PaymentKind = 'regular' | 'deposit' | 'setup' | 'trial'

/** One scheduled amount. `list` is before the sale price, `price` after it, `pay` is what is charged. */
export interface ScheduledPayment {
  n: number
  kind: PaymentKind
  due: Day
  list: Amount
  price: Amount
  discount: Amount
  tax: Amount
  pay: Amount
}

export interface QuotedLine {
  offer: string
  role: Role
  payments: ScheduledPayment[]
  untilCancelled: boolean
  opens: Day
  closes: Day | null
  shares: { course: string; amount: Amount }[]
}

export type WhyNot =
  | 'unknown'
  | 'already-entered'
  | 'wrong-currency'
  | 'not-yet'
  | 'expired'
  | 'used-up'
  | 'used-by-buyer'
  | 'first-purchase-only'
  | 'does-not-combine'
  | 'nothing-eligible'
  | 'below-minimum'

export type QuotedCode = { code: string; counts: true; saves: Amount } | { code: string; counts: false; why: WhyNot }

export interface Quote {
  purchaseDay: Day
  lines: QuotedLine[]
  today: { price: Amount; discount: Amount; tax: Amount; pay: Amount }
  later: { due: Day; pay: Amount }[]
  /** Everything that will be paid; null where a line runs until cancelled. */
  committed: Amount | null
  codes: QuotedCode[]
  overlaps: string[]
}
