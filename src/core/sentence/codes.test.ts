import { expect, it } from 'vitest'
import { formatSaves } from './codes.ts'

const money = { currency: 'EUR', language: 'en', leaveOutZeros: false }
const today = (discount: number) => ({ today: { price: 5000, discount, tax: 0, pay: 5000 - discount } })

it('what a code takes off says which payments it is off', () => {
  expect(formatSaves(500, today(500), money)).toBe('€5.00 off')
  expect(formatSaves(1500, today(500), money)).toBe('€15.00 off, later payments included')
  // In a free trial nothing is taken off today.
  expect(formatSaves(1000, today(0), money)).toBe('€10.00 off later payments')
})
