import fc from 'fast-check'
import { Temporal } from 'temporal-polyfill'
import { describe, expect, it } from 'vitest'
import { dayIn, type Instant, isBefore, isTimeZone, noonOf, parseInstant } from './instant.ts'

const at = (text: string): Instant => {
  const instant = parseInstant(text)
  if (!instant) throw new Error(`not an instant: ${text}`)
  return instant
}

describe('parseInstant', () => {
  it.each([
    '2027-01-31T09:30:00+01:00',
    '2027-01-31t09:30:00z',
    '2000-01-01T00:00:00.123456789Z',
    '2999-12-31T23:59:59-23:59',
    '2016-12-31T23:59:60Z',
  ])('reads %s', (text) => {
    expect(parseInstant(text)).not.toBeNull()
  })

  it.each([
    '',
    '2027-01-31',
    '2027-01-31T09:30:00',
    '2027-01-31 09:30:00Z',
    '2027-02-30T00:00:00Z',
    '2027-01-31T24:00:00Z',
    '2027-01-31T09:60:00Z',
    '1999-12-31T23:59:59Z',
    '3000-01-01T00:00:00Z',
    '2027-01-31T09:30Z',
    '2027-01-31T09:30:00+24:00',
    '2027-01-31T10:00:60Z',
  ])('refuses %j', (text) => {
    expect(parseInstant(text)).toBeNull()
  })
})

it('an offset is what the clock there is ahead of or behind the one at Greenwich', () => {
  expect(at('2027-01-31T09:30:00-05:00')).toEqual(at('2027-01-31T14:30:00Z'))
  expect(at('2027-01-31T09:30:00+05:30')).toEqual(at('2027-01-31T04:00:00Z'))
})

it('compares by the moment, to the last digit', () => {
  expect(isBefore(at('2027-01-31T09:30:00+01:00'), at('2027-01-31T08:30:00Z'))).toBe(false)
  expect(isBefore(at('2027-01-31T08:30:00.1Z'), at('2027-01-31T08:30:00.1000000001Z'))).toBe(true)
  expect(isBefore(at('2027-01-31T08:30:00.45Z'), at('2027-01-31T08:30:00.5Z'))).toBe(true)
})

it('finds the date in a zone as Temporal does', () => {
  const zones = ['Europe/Vienna', 'Pacific/Kiritimati', 'America/St_Johns', 'Asia/Kathmandu', 'Pacific/Apia', 'UTC']
  fc.assert(
    fc.property(
      fc.integer({ min: 946_684_800, max: 32_503_680_000 - 90_000 }),
      fc.constantFrom(...zones),
      (seconds, zone) => {
        const expected = Temporal.Instant.fromEpochMilliseconds(seconds * 1000)
          .toZonedDateTimeISO(zone)
          .toPlainDate()
          .toString()
        expect(dayIn(zone, { seconds, fraction: '' })).toBe(expected)
      },
    ),
  )
})

it('finds a moment of a date, also where the day begins long before', () => {
  const zones = ['Europe/Vienna', 'Pacific/Kiritimati', 'Pacific/Auckland', 'Pacific/Pago_Pago', 'Etc/GMT+12']
  const days = fc.integer({ min: 0, max: 20_000 }).map((n) => new Date(n * 86_400_000 + 946_684_800_000))
  fc.assert(
    fc.property(days, fc.constantFrom(...zones), (date, zone) => {
      const day = date.toISOString().slice(0, 10)
      expect(dayIn(zone, { seconds: noonOf(zone, day) / 1000, fraction: '' })).toBe(day)
    }),
  )
})

it('knows time zones from offsets and nonsense', () => {
  expect(isTimeZone('Europe/Vienna')).toBe(true)
  expect(isTimeZone('+01:00')).toBe(false)
  expect(isTimeZone('Mars/Base')).toBe(false)
})

it('follows a zone that fell back across midnight at one minute past', () => {
  expect(dayIn('America/St_Johns', at('2010-11-07T02:30:30Z'))).toBe('2010-11-07')
  expect(dayIn('America/St_Johns', at('2010-11-07T02:31:30Z'))).toBe('2010-11-06')
})
