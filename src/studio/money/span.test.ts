import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { addDays } from '../../core/calendar/day.ts'
import { addressOf, formatSpan, monthOf, spanIn, spanOfMonth, spanOfYear } from './span.ts'

const TODAY = '2026-11-25'
const inAddress = (query: string) => spanIn(new URLSearchParams(query), TODAY)

describe('the days that are looked at', () => {
  it('are those in the address, a month of it, or the month of today', () => {
    expect(inAddress('from=2026-03-10&until=2026-12-15')).toEqual({ from: '2026-03-10', until: '2026-12-15' })
    expect(inAddress('month=2028-02')).toEqual({ from: '2028-02-01', until: '2028-02-29' })
    expect(inAddress('')).toEqual({ from: '2026-11-01', until: '2026-11-30' })
  })

  it('are the month of today where the address holds nonsense', () => {
    for (const query of ['month=2026-13', 'month=soon', 'from=2026-03-10', 'from=2026-02-30&until=2026-03-01'])
      expect(inAddress(query)).toEqual(spanOfMonth('2026-11'))
  })

  it('come back from the address as they were put into it, and nothing chosen in the days before stays', () => {
    const day = fc.integer({ min: 0, max: 20_000 }).map((days) => addDays('2000-01-01', days))
    fc.assert(
      fc.property(day, fc.integer({ min: 0, max: 800 }), (from, days) => {
        const span = { from, until: addDays(from, days) }
        const params = new URLSearchParams('day=2026-11-03&list=late&order=1&search=ada')
        for (const [name, value] of Object.entries(addressOf(span)))
          value === null ? params.delete(name) : params.set(name, value)
        expect(spanIn(params, TODAY)).toEqual(span)
        expect([...params.keys()].filter((key) => !['month', 'from', 'until'].includes(key))).toEqual(['search'])
      }),
    )
  })

  it('are a month where they begin and end with one', () => {
    expect(monthOf({ from: '2026-02-01', until: '2026-02-28' })).toBe('2026-02')
    expect(monthOf({ from: '2028-02-01', until: '2028-02-28' })).toBe(null)
    expect(monthOf({ from: '2026-02-01', until: '2026-03-31' })).toBe(null)
    expect(monthOf(spanOfYear('2026'))).toBe(null)
  })

  it('are said as shortly as they can be', () => {
    expect(formatSpan({ from: '2026-11-01', until: '2026-11-30' })).toBe('November 2026')
    expect(formatSpan(spanOfYear('2026'))).toBe('2026')
    expect(formatSpan({ from: '2026-01-01', until: '2027-12-31' })).toMatch(/^1 January 2026\s–\s31 December 2027$/)
    expect(formatSpan({ from: '2026-11-12', until: '2026-11-12' })).toBe('12 November 2026')
    expect(formatSpan({ from: '2026-03-10', until: '2026-12-15' })).toMatch(/^10 March\s–\s15 December 2026$/)
    expect(formatSpan({ from: '2025-12-31', until: '2026-01-01' })).toMatch(/^31 December 2025\s–\s1 January 2026$/)
  })
})
