import { split } from '../money/arithmetic.ts'

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
 * @example shareRefund([{ id: 'b', left: 4300, gives: 'whole' }, { id: 'a', left: 4300, gives: 'part' }], 5000) // [{ chargeId: 'b', amount: 4300 }, { chargeId: 'a', amount: 700 }]
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

/** Refunds are split by the weights of the purchase. */
const FIRST = 0

/**
 * What is proposed to be given back for some courses of a bundle: their shares of what was collected of its line
 * (pricing rules, section 9), less what was given back for them before. Minor units; never below 0.
 * @param collected what each payment of the line collected, with its number.
 * @param weights of the line's courses for a payment's number, in their order; `chosen` are places in it.
 * @param given what was given back so far, each for some of the courses; null: for all of them.
 */
export function shareOfCourses(
  collected: readonly { n: number; amount: number }[],
  weightsFor: (n: number) => readonly number[],
  chosen: readonly number[],
  given: readonly { amount: number; of: readonly number[] | null }[],
): number {
  const sharesOf = (amount: number, of: readonly number[], n: number) => {
    const weights = weightsFor(n)
    const parts = split(
      amount,
      of.map((index) => weights[index] ?? 0),
    )
    return of.reduce((sum, index, place) => sum + (chosen.includes(index) ? (parts[place] ?? 0) : 0), 0)
  }
  const all = weightsFor(FIRST).map((_, index) => index)
  const paid = collected.reduce((sum, { n, amount }) => sum + sharesOf(amount, all, n), 0)
  const back = given.reduce((sum, { amount, of }) => sum + sharesOf(amount, of ?? all, FIRST), 0)
  return Math.max(0, paid - back)
}

/**
 * The amounts that can be given back, where only some can: with whole charges alone. Null: any up to the sum.
 * @example refundableAmounts([{ id: 'b', left: 4300, gives: 'whole' }, { id: 'a', left: 1900, gives: 'whole' }]) // [1900, 4300, 6200]
 */
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
