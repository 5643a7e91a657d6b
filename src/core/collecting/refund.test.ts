import fc from 'fast-check'
import { expect, it } from 'vitest'
import { sharesByWeights } from '../../testing/shares.ts'
import { type Charge, refundableAmounts, shareOfCourses, shareRefund } from './refund.ts'

const part = (id: string, left: number): Charge => ({ id, left, gives: 'part' })
const whole = (id: string, left: number): Charge => ({ id, left, gives: 'whole' })

it.each<[string, Charge[], number, [string, number][] | null]>([
  ['a part of one', [part('a', 100)], 40, [['a', 40]]],
  [
    'the newest first',
    [part('c', 30), part('b', 30), part('a', 30)],
    50,
    [
      ['c', 30],
      ['b', 20],
    ],
  ],
  ['more than was paid', [part('a', 30)], 31, null],
  ['a whole one', [whole('b', 43), whole('a', 43)], 43, [['b', 43]]],
  ['a part of a whole one', [whole('a', 43)], 20, null],
  [
    'wholes that fit, though the newest does not',
    [whole('c', 5), whole('b', 3), whole('a', 3)],
    6,
    [
      ['b', 3],
      ['a', 3],
    ],
  ],
  [
    'a whole one and the rest of a part',
    [part('b', 50), whole('a', 43)],
    60,
    [
      ['a', 43],
      ['b', 17],
    ],
  ],
  [
    'whole ones before parts, though a part alone would do',
    [part('b', 50), whole('a', 43)],
    50,
    [
      ['a', 43],
      ['b', 7],
    ],
  ],
  [
    'of wholes the largest sum that fits, the newest of the same',
    [whole('d', 5), part('c', 20), whole('b', 10), whole('a', 10)],
    16,
    [
      ['d', 5],
      ['b', 10],
      ['c', 1],
    ],
  ],
  ['what was given back already', [part('b', 0), part('a', 10)], 10, [['a', 10]]],
])('%s', (_name, charges, amount, expected) => {
  expect(shareRefund(charges, amount)?.map(({ chargeId, amount: of }) => [chargeId, of]) ?? null).toEqual(expected)
})

it('proposes for some courses their share, less what was given back for them, and never below 0', () => {
  expect(sharesByWeights([1000, 1000], [1, 3], [1], [])).toBe(1500)
  expect(sharesByWeights([1000, 1000], [1, 3], [1], [{ amount: 400, of: [1] }])).toBe(1100)
  expect(sharesByWeights([1000, 1000], [1, 3], [1], [{ amount: 400, of: [0] }])).toBe(1500)
  expect(sharesByWeights([1000, 1000], [1, 3], [1], [{ amount: 400, of: null }])).toBe(1200)
  expect(sharesByWeights([1000], [1, 3], [0], [{ amount: 600, of: [0] }])).toBe(0)
  expect(sharesByWeights([1000], [1, 3], [], [])).toBe(0)
})

it('says which amounts can be given back', () => {
  expect(refundableAmounts([whole('b', 30), whole('a', 20)])).toEqual([20, 30, 50])
  expect(refundableAmounts([whole('b', 30), whole('a', 0), part('c', 0)])).toEqual([30])
  expect(refundableAmounts([whole('b', 43), whole('a', 43)])).toEqual([43, 86])
  expect(refundableAmounts([whole('b', 43), part('a', 1)])).toBeNull()
})

it('what is shared out is the amount, at most what is left, and whole where it must be', () => {
  const charge = fc.record({ left: fc.nat(40), gives: fc.constantFrom('part' as const, 'whole' as const) })
  fc.assert(
    fc.property(fc.array(charge, { maxLength: 8 }), fc.nat(200), (made, amount) => {
      const charges = made.map((one, index) => ({ ...one, id: String(index) }))
      const shares = shareRefund(charges, amount)
      const all = charges.reduce((sum, { left }) => sum + left, 0)
      if (!shares) {
        expect(amount === 0 || amount === all).toBe(false)
        return
      }
      expect(shares.reduce((sum, share) => sum + share.amount, 0)).toBe(amount)
      for (const share of shares) {
        const of = charges.find(({ id }) => id === share.chargeId)
        expect(share.amount).toBeLessThanOrEqual(of?.left ?? 0)
        if (of?.gives === 'whole') expect(share.amount).toBe(of.left)
      }
    }),
  )
})

it('a course that a plan no longer pays for earns nothing of later payments', () => {
  const weightsFor = (n: number) => (n > 1 ? [1, 0] : [1, 3])
  const collected = [1, 2].map((n) => ({ n, amount: 1000 }))
  expect(shareOfCourses(collected, weightsFor, [1], [])).toBe(750)
  expect(shareOfCourses(collected, weightsFor, [0], [])).toBe(1250)
})
