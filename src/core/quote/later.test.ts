import fc from 'fast-check'
import { expect, it } from 'vitest'
import { hasLater, lineHasLater } from './later.ts'
import { sums } from './sums.ts'
import type { QuotedLine } from './types.ts'

const DAY = '2026-03-04'
const money = { list: 0, price: 0, discount: 0, tax: 0 }
const line = fc
  .record({
    untilCancelled: fc.boolean(),
    payments: fc.array(
      fc.record({ due: fc.constantFrom(DAY, '2026-03-05', '2027-01-31'), pay: fc.constantFrom(0, 1, 4300) }),
      { maxLength: 4 },
    ),
  })
  .map(
    ({ untilCancelled, payments }) =>
      ({
        untilCancelled,
        payments: payments.map((payment, n) => ({ ...payment, ...money, n, kind: 'regular' })),
      }) as unknown as QuotedLine,
  )

it('a quote has later payments where one of its lines has, also of nothing', () => {
  fc.assert(
    fc.property(fc.array(line, { minLength: 1, maxLength: 4 }), (lines) => {
      expect(hasLater(sums(lines, DAY))).toBe(lines.some((one) => lineHasLater(one, DAY)))
    }),
  )
})

it('what is paid on its day alone has none', () => {
  const payments = [{ due: DAY, pay: 100 }] as unknown as QuotedLine['payments']
  expect(lineHasLater({ untilCancelled: false, payments }, DAY)).toBe(false)
  expect(lineHasLater({ untilCancelled: true, payments }, DAY)).toBe(true)
})
