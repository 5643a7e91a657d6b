import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { LARGEST_AMOUNT, roundRatio, split } from './arithmetic.ts'

const amount = fc.integer({ min: 0, max: LARGEST_AMOUNT })

describe('roundRatio', () => {
  it.each([
    [1, 1, 2, 1],
    [3, 1, 2, 2],
    [1, 1, 3, 0],
    [2, 1, 3, 1],
    [3870, 2000, 12_000, 645],
    [LARGEST_AMOUNT, 10_000, 10_000, LARGEST_AMOUNT],
  ])('round(%i·%i/%i) is %i', (a, b, c, expected) => {
    expect(roundRatio(a, b, c)).toBe(expected)
  })

  it('agrees with exact arithmetic wherever it is called', () => {
    fc.assert(
      fc.property(amount, amount, fc.integer({ min: 1, max: LARGEST_AMOUNT }), (a, b, c) => {
        const exact = (2n * BigInt(a) * BigInt(b) + BigInt(c)) / (2n * BigInt(c))
        fc.pre(exact <= BigInt(Number.MAX_SAFE_INTEGER))
        expect(BigInt(roundRatio(a, b, c))).toBe(exact)
      }),
    )
  })
})

describe('split', () => {
  it.each([
    [12_900, [1, 1, 1], [4300, 4300, 4300]],
    [100, [1, 1, 1], [34, 33, 33]],
    [5, [0, 0], [3, 2]],
    [10, [1, 2], [3, 7]],
    [1, [1, 1, 2], [0, 0, 1]],
    [0, [3, 4], [0, 0]],
  ])('%i over %j is %j', (total, weights, expected) => {
    expect(split(total, weights)).toEqual(expected)
  })

  it('loses nothing, and gives no part more than one unit over its share', () => {
    fc.assert(
      fc.property(amount, fc.array(amount, { minLength: 1, maxLength: 30 }), (total, weights) => {
        const parts = split(total, weights)
        expect(parts.reduce((sum, part) => sum + part, 0)).toBe(total)
        const sum = weights.reduce((all, weight) => all + BigInt(weight), 0n)
        if (sum === 0n) return
        parts.forEach((part, index) => {
          const floor = (BigInt(total) * BigInt(weights[index] as number)) / sum
          expect([floor, floor + 1n]).toContain(BigInt(part))
        })
      }),
    )
  })
})
