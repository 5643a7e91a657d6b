import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { addDays } from './day.ts'
import { formatDay } from './formatDay.ts'
import { readDay } from './readDay.ts'

describe('a day as it is typed', () => {
  it.each([
    ['2026-12-04', 'en', '2026-12-04'],
    ['4.12.2026', 'de-AT', '2026-12-04'],
    ['4. 12. 26', 'de-AT', '2026-12-04'],
    ['4/12/2026', 'en-GB', '2026-12-04'],
    ['12/4/2026', 'en-US', '2026-12-04'],
    ['4 December 2026', 'de-AT', '2026-12-04'],
    ['4. Dezember 2026', 'de-AT', '2026-12-04'],
    ['3 märz 2027', 'de-AT', '2027-03-03'],
    ['3 marz 2027', 'de-AT', '2027-03-03'],
    ['Dec 4th, 2026', 'en-US', '2026-12-04'],
    ['4 dec', 'en', '2026-12-04'],
    // Without a year it is the next one.
    ['4.1.', 'de-AT', '2027-01-04'],
    ['29 feb', 'en', '2028-02-29'],
    ['31.11.2026', 'de-AT', null],
    ['29 February 2027', 'en', null],
    ['soon', 'en', null],
    ['4 x 2026', 'en', null],
    ['', 'en', null],
  ])('%s in %s is %s', (typed, language, day) => {
    expect(readDay(typed, language, '2026-11-26')).toBe(day)
  })

  it('reads back whatever is said', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 40_000 }), fc.constantFrom('en', 'en-US', 'de-CH'), (days, language) => {
        const day = addDays('2000-01-01', days)
        expect(readDay(formatDay(day, language), language, '2026-11-26')).toBe(day)
      }),
    )
  })
})
