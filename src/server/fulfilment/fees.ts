import { split } from '../../core/money/arithmetic.ts'

/**
 * Splits what a gateway took for an attempt over the payments that it collected, by what each paid, in minor units.
 * @returns the payments with their parts, in the order of their ids.
 */
export function shareFee<P extends { id: string; pay: number }>(
  fee: number,
  collected: readonly P[],
): (P & { fee: number })[] {
  const ordered = [...collected].sort((a, b) => (a.id < b.id ? -1 : 1))
  if (fee === 0) return ordered.map((payment) => ({ ...payment, fee: 0 }))
  const shares = split(
    fee,
    ordered.map(({ pay }) => pay),
  )
  return ordered.map((payment, index) => ({ ...payment, fee: shares[index] as number }))
}
