import { roundRatio } from '../money/arithmetic.ts'
import type { Tax } from '../terms/terms.ts'

/**
 * Tax of a charge, and what is paid, payment by payment (pricing rules, section 7).
 * @example taxOf(12_000, { mode: 'inclusive', rate: 2000 }) // { tax: 2000, pay: 12_000 }
 * @example taxOf(10_000, { mode: 'exclusive', rate: 2000 }) // { tax: 2000, pay: 12_000 }
 */
export function taxOf(charge: number, { mode, rate }: Tax): { tax: number; pay: number } {
  const tax = mode === 'none' ? 0 : roundRatio(charge, rate, mode === 'exclusive' ? 10_000 : 10_000 + rate)
  return { tax, pay: mode === 'exclusive' ? charge + tax : charge }
}
