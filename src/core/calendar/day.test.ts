import fc from 'fast-check'
import { Temporal } from 'temporal-polyfill'
import { describe, expect, it } from 'vitest'
import { addDays, after, daysBetween, isDay, LONGEST_SPAN, type SpanUnit } from './day.ts'

const day = fc
  .integer({ min: 0, max: 400_000 })
  .map((days) => Temporal.PlainDate.from('2000-01-01').add({ days }).toString())
const unit = fc.constantFrom(...(Object.keys(LONGEST_SPAN) as SpanUnit[]))

describe('after', () => {
  it.each([
    ['2027-01-31', 1, 1, 'month', '2027-02-28'],
    ['2027-01-31', 2, 1, 'month', '2027-03-31'],
    ['2028-01-31', 1, 1, 'month', '2028-02-29'],
    ['2028-02-29', 1, 1, 'year', '2029-02-28'],
    ['2028-02-29', 4, 1, 'year', '2032-02-29'],
    ['2027-12-31', 1, 2, 'week', '2028-01-14'],
    ['2027-03-05', 3, 10, 'day', '2027-04-04'],
  ] as const)('%s, %i steps of %i %ss, is %s', (from, k, count, spanUnit, expected) => {
    expect(after(from, k, { count, unit: spanUnit })).toBe(expected)
  })

  it('agrees with Temporal', () => {
    fc.assert(
      fc.property(
        day,
        fc.integer({ min: 0, max: 40 }),
        unit,
        fc.integer({ min: 1, max: 60 }),
        (from, k, spanUnit, count) => {
          const steps = { [`${spanUnit}s`]: k * count } as Record<string, number>
          expect(after(from, k, { count, unit: spanUnit })).toBe(Temporal.PlainDate.from(from).add(steps).toString())
        },
      ),
    )
  })

  it('never goes back from one step to the next', () => {
    fc.assert(
      fc.property(
        day,
        fc.integer({ min: 0, max: 30 }),
        unit,
        fc.integer({ min: 1, max: 10 }),
        (from, k, spanUnit, count) => {
          const span = { count, unit: spanUnit }
          expect(after(from, k, span) < after(from, k + 1, span)).toBe(true)
        },
      ),
    )
  })
})

it('adding days and counting them are inverse', () => {
  fc.assert(
    fc.property(day, fc.integer({ min: -5000, max: 5000 }), (from, days) => {
      expect(daysBetween(from, addDays(from, days))).toBe(days)
    }),
  )
})

it.each([
  ['2027-02-28', true],
  ['2027-02-29', false],
  ['2028-02-29', true],
  ['2027-13-01', false],
  ['2027-00-10', false],
  ['2027-1-1', false],
  ['2027-01-01T00:00', false],
])('isDay(%s) is %s', (text, expected) => {
  expect(isDay(text)).toBe(expected)
})
