import { expect, it } from 'vitest'
import { feeOf } from './fee.ts'

const fee = { rate: 170, fixed: { EUR: 19 } }

it.each([
  [12_900, 'EUR', 238],
  [0, 'EUR', 0],
  [10, 'EUR', 10],
  [12_900, 'USD', 219],
])('%i %s costs %i', (amount, currency, expected) => {
  expect(feeOf(amount, currency, fee)).toBe(expected)
})
