import { roundRatio } from '../money/arithmetic.ts'
import type { Tax } from '../terms/terms.ts'

/** Tax of a charge, and what is paid, payment by payment (pricing rules, section 7). */
export function taxOf(charge: number, { mode, rate }: Tax): { tax: number; pay: number } {
  const tax = mode === 'none' ? 0 : roundRatio(charge, rate, mode === 'exclusive' ? 10_000 : 10_000 + rate)
  return { tax, pay: mode === 'exclusive' ? charge + tax : charge }
}
