import { type Amount, type BasisPoints, roundRatio } from './arithmetic.ts'

/** What a gateway takes of a payment: a rate, and a fixed part by currency in minor units. */
export interface FeeTerms {
  rate: BasisPoints
  fixed: Readonly<Record<string, Amount>>
}

/**
 * The fee of one payment, at most the payment itself; a payment of 0 costs nothing.
 * @example feeOf(4900, 'EUR', { rate: 140, fixed: { EUR: 25 } }) // 94
 */
export function feeOf(amount: Amount, currency: string, fee: FeeTerms): Amount {
  if (amount === 0) return 0
  return Math.min(amount, roundRatio(amount, fee.rate, 10_000) + (fee.fixed[currency] ?? 0))
}
