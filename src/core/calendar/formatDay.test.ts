import { expect, it } from 'vitest'
import { formatDay, formatDayShort } from './formatDay.ts'

it('a day of another year has its year', () => {
  expect(formatDay('2027-02-28', 'en', '2027')).toBe('28 February')
  expect(formatDay('2028-02-28', 'en', '2027')).toBe('28 February 2028')
  expect(formatDay('2027-02-28', 'en')).toBe('28 February 2027')
  expect(formatDay('2027-02-28', 'en-US', '2027')).toBe('February 28')
  expect(formatDayShort('2027-02-28', '2027')).toBe('28 Feb')
  expect(formatDayShort('2028-02-28', '2027')).toBe('28 Feb 2028')
  expect(formatDayShort('2027-02-28')).toBe('28 Feb')
})
