/** What one attempt collected of a line, as far as it can be given back. Amounts in minor units. */
export interface Charge {
  id: string
  /** What is left of it to give back. */
  left: number
  /** part: any amount · whole: all of it or nothing. */
  gives: 'part' | 'whole'
}

export interface Share {
  chargeId: string
  amount: number
}

/**
 * How an amount is given back from charges, the newest (first) first: whole ones as a whole, the rest from those
 * that give back parts. Null where it cannot be made up exactly.
 */
export function shareRefund(charges: readonly Charge[], amount: number): Share[] | null {
  const parts = charges.filter(({ gives, left }) => gives === 'part' && left > 0)
  const wholes = charges.filter(({ gives, left }) => gives === 'whole' && left > 0)
  const flexible = parts.reduce((sum, { left }) => sum + left, 0)
  for (const [sum, taken] of sumsOf(wholes)) {
    const rest = amount - sum
    if (rest < 0 || rest > flexible) continue
    return [...taken.map(({ id, left }) => ({ chargeId: id, amount: left })), ...takeFrom(parts, rest)]
  }
  return null
}

/** The amounts that can be given back, where only some can: with whole charges alone. Null: any up to the sum. */
export function refundableAmounts(charges: readonly Charge[]): number[] | null {
  if (charges.some(({ gives, left }) => gives === 'part' && left > 0)) return null
  return [...sumsOf(charges.filter(({ left }) => left > 0)).keys()].filter((sum) => sum > 0).sort((a, b) => a - b)
}

/** Every sum that whole charges make, with which of them, the largest sums first, the newest charges preferred. */
function sumsOf(wholes: readonly Charge[]): Map<number, Charge[]> {
  let sums = new Map<number, Charge[]>([[0, []]])
  for (const charge of wholes) {
    for (const [sum, taken] of [...sums]) {
      if (!sums.has(sum + charge.left)) sums.set(sum + charge.left, [...taken, charge])
    }
  }
  sums = new Map([...sums].sort(([a], [b]) => b - a))
  return sums
}

function takeFrom(parts: readonly Charge[], amount: number): Share[] {
  const shares: Share[] = []
  let rest = amount
  for (const { id, left } of parts) {
    if (rest === 0) break
    const share = Math.min(left, rest)
    shares.push({ chargeId: id, amount: share })
    rest -= share
  }
  return shares
}
