import fc from 'fast-check'
import { expect, it } from 'vitest'
import { formatSplit, proposeSplits, readSplit } from './split.ts'

const money = { currency: 'EUR', language: 'en' }
const said = (total: number, count: number) => proposeSplits(total, count).map((split) => formatSplit(split, money))

it('proposes exact parts, then round ones with the difference', () => {
  expect(said(130_000, 3)).toEqual([
    '€433.34, then 2 × €433.33 is exactly €1,300.00',
    '3 × €435.00 is €5.00 more than paying at once',
    '3 × €430.00 is €10.00 less than paying at once',
    '3 × €440.00 is €20.00 more than paying at once',
  ])
  expect(said(12_900, 3)).toEqual(['3 × €43.00 is exactly €129.00'])
  expect(said(12_500, 3)[0]).toBe('2 × €41.67, then €41.66 is exactly €125.00')
})

it('adds up, whatever is split', () => {
  fc.assert(
    fc.property(fc.integer({ min: 2, max: 120 }), fc.integer({ min: 120, max: 99_999_999 }), (count, total) => {
      const [exact, ...round] = proposeSplits(total, count)
      expect(exact).toMatchObject({ total, difference: 0 })
      for (const { each, difference, total: none } of round) {
        expect(none).toBe(null)
        expect(each).toBeGreaterThan(0)
        expect(each * count - total).toBe(difference)
        expect(difference).not.toBe(0)
      }
    }),
  )
})

it.each([
  ['1,300 in 3', 130_000, 3],
  ['€1,300.00 in 3 parts', 130_000, 3],
  ['119 into 4', 11_900, 4],
  ['90/2', 9000, 2],
  ['0.03 in 3', 3, 3],
])('reads %s', (text, total, count) => {
  expect(readSplit(text, money)).toEqual({ ok: true, total, count })
})

it.each([
  ['', 'Write a price and a number of parts, like “1,300 in 3”.'],
  ['1300', 'Write a price and a number of parts, like “1,300 in 3”.'],
  ['abc in 3', 'Write the price in figures, like 1299 or 1299.50.'],
  ['100 in 1', 'There are 2 to 120 parts.'],
  ['100 in 121', 'There are 2 to 120 parts.'],
  ['0.02 in 3', 'The price is too small for so many parts.'],
])('refuses %j in words', (text, why) => {
  expect(readSplit(text, money)).toEqual({ ok: false, why })
})
