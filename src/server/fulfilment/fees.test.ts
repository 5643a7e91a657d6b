import fc from 'fast-check'
import { expect, it } from 'vitest'
import { shareFee } from './fees.ts'

const payments = fc.uniqueArray(
  fc.record({ id: fc.uuid(), pay: fc.oneof(fc.constant(0), fc.nat({ max: 5_000_000 })) }),
  { selector: ({ id }) => id, minLength: 1, maxLength: 8 },
)

it('a fee is shared to the last cent, by what each payment paid, whatever order they come in', () => {
  fc.assert(
    fc.property(payments, fc.nat({ max: 100_000 }), (all, fee) => {
      fc.pre(fee === 0 || all.some(({ pay }) => pay > 0))
      const shared = shareFee(fee, all)
      expect(shared.reduce((sum, one) => sum + one.fee, 0)).toBe(fee)
      expect(shareFee(fee, [...all].reverse())).toEqual(shared)
      const total = all.reduce((sum, { pay }) => sum + pay, 0)
      for (const { pay, fee: part } of shared) {
        expect(part).toBeGreaterThanOrEqual(0)
        if (total > 0) expect(Math.abs(part - (fee * pay) / total)).toBeLessThan(1)
      }
    }),
  )
})

it('of one payment it is the whole fee; of nothing it is nothing', () => {
  expect(shareFee(119, [{ id: 'a', pay: 4300 }])).toEqual([{ id: 'a', pay: 4300, fee: 119 }])
  expect(shareFee(0, [{ id: 'a', pay: 0 }])).toEqual([{ id: 'a', pay: 0, fee: 0 }])
  expect(shareFee(0, [])).toEqual([])
})
