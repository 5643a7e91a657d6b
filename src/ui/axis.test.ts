import fc from 'fast-check'
import { expect, it } from 'vitest'
import { addDays } from '../core/calendar/day.ts'
import { layDays } from './axis.ts'

const START = '2027-01-31'

it('keeps the scale: twice the days are twice the way', () => {
  const { at, breaks } = layDays([START, addDays(START, 10), addDays(START, 30)], 0, 300, 1)
  expect(at(addDays(START, 30)) / at(addDays(START, 10))).toBeCloseTo(3)
  expect(breaks).toEqual([])
})

it('cuts a gap that dwarfs the others, and says where', () => {
  const days = [START, addDays(START, 30), addDays(START, 60), addDays(START, 790)]
  const { at, breaks } = layDays(days, 0, 300, 1)
  expect(breaks).toHaveLength(1)
  expect(breaks[0]).toBeGreaterThan(at(days[2] as string))
  expect(breaks[0]).toBeLessThan(at(days[3] as string))
  expect(at(days[1] as string)).toBeGreaterThan(50)
})

it('lays any days in their order, apart, and inside', () => {
  fc.assert(
    fc.property(fc.uniqueArray(fc.integer({ min: 0, max: 4000 }), { minLength: 1, maxLength: 20 }), (offsets) => {
      const days = offsets.map((offset) => addDays(START, offset))
      const { at, end } = layDays(days, 14, 348, 12)
      const places = [...days].sort().map(at)
      for (const [index, place] of places.entries()) {
        if (index > 0) expect(place - (places[index - 1] as number)).toBeGreaterThanOrEqual(11.999)
      }
      expect(end).toBeLessThanOrEqual(348.001)
      expect(places[0]).toBe(14)
    }),
  )
})

it('knows no day that it was not given', () => {
  expect(() => layDays([START], 0, 100, 10).at('2030-01-01')).toThrow(RangeError)
})
