/**
 * Exact arithmetic on whole numbers of minor units (pricing rules, section 1).
 * An amount is a safe integer from 0 to {@link LARGEST_AMOUNT}; sums may be larger.
 */

/** A whole number of minor units of one currency: EUR 129.00 is 12900. */
export type Amount = number

/** A rate in basis points: 20 % is 2000. */
export type BasisPoints = number

/** The largest amount that may be given (sums may be larger). */
export const LARGEST_AMOUNT: Amount = 99_999_999_999

/**
 * round(a·b/c), half up: floor((2ab + c) / 2c). Exact for any safe integers a, b ≥ 0 and c ≥ 1.
 * @example roundRatio(4999, 2000, 10_000) // 1000
 */
export function roundRatio(a: number, b: number, c: number): number {
  const top = 2 * a * b + c
  if (top <= Number.MAX_SAFE_INTEGER) return floorDivide(top, 2 * c)
  return Number((2n * BigInt(a) * BigInt(b) + BigInt(c)) / (2n * BigInt(c)))
}

/**
 * The largest-remainder split of `total` over `weights`: floors first, then one unit each to the
 * largest fractions, ties to the earlier part. All weights 0 count as 1 each. Parts add up to `total`.
 * @example split(100, [1, 1, 1]) // [34, 33, 33]
 */
export function split(total: Amount, weights: readonly number[]): Amount[] {
  const sum = weights.reduce((all, weight) => all + weight, 0)
  if (sum === 0)
    return weights.length === 0
      ? []
      : split(
          total,
          weights.map(() => 1),
        )
  const largest = Math.max(...weights)
  const exact = total * largest <= Number.MAX_SAFE_INTEGER && sum <= Number.MAX_SAFE_INTEGER
  return exact ? splitNumbers(total, weights, sum) : splitBigInts(total, weights)
}

function splitNumbers(total: Amount, weights: readonly number[], sum: number): Amount[] {
  const parts: number[] = []
  const fractions: number[] = []
  let left = total
  for (const weight of weights) {
    const product = total * weight
    const part = floorDivide(product, sum)
    parts.push(part)
    fractions.push(product - part * sum)
    left -= part
  }
  return giveLeftOver(parts, fractions, left)
}

function splitBigInts(total: Amount, weights: readonly number[]): Amount[] {
  const sum = weights.reduce((all, weight) => all + BigInt(weight), 0n)
  const products = weights.map((weight) => BigInt(total) * BigInt(weight))
  const parts = products.map((product) => Number(product / sum))
  const left = total - parts.reduce((all, part) => all + part, 0)
  return giveLeftOver(
    parts,
    products.map((product) => product % sum),
    left,
  )
}

/** One unit each to the largest fractions; a stable sort keeps ties with the earlier part. */
function giveLeftOver(parts: number[], fractions: readonly (number | bigint)[], left: number) {
  if (left === 0) return parts
  const order = parts.map((_, index) => index)
  order.sort((a, b) => {
    const x = fractions[a] as number
    const y = fractions[b] as number
    return x === y ? a - b : x > y ? -1 : 1
  })
  for (const index of order.slice(0, left)) parts[index] = (parts[index] as number) + 1
  return parts
}

/** floor(a/b) of safe integers: the float quotient may be one off, the remainder tells. */
function floorDivide(a: number, b: number): number {
  const quotient = Math.floor(a / b)
  const rest = a - quotient * b
  return rest < 0 ? quotient - 1 : rest >= b ? quotient + 1 : quotient
}
