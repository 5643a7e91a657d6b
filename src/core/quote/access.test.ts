import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { addDays, type Day } from '../calendar/day.ts'
import { DocumentError } from '../document/reader.ts'
import type { Access, Terms } from '../terms/terms.ts'
import { closesOn, closesOnceIn, opensOn } from './access.ts'

/** When a course opens and closes (pricing rules, section 8). */

const SINGLE: Terms = { kind: 'single', amount: 4300 }
const MONTHLY: Terms = {
  kind: 'subscription',
  amount: 1900,
  every: { count: 1, unit: 'month' },
  payments: null,
  setupFee: 0,
  trial: null,
}
const TRIED: Terms = { ...MONTHLY, trial: { length: { count: 14, unit: 'day' }, amount: 0 } } as Terms
const access = (more: Partial<Access> = {}): Access => ({ from: null, lasts: 'forever', graceDays: 0, ...more })
const of = (rule: Partial<Access>, terms: Terms = SINGLE, bought: Day = '2027-01-31', paid = 0) =>
  closesOn(access(rule), terms, bought, paid, '/access')

describe('a course opens', () => {
  it.each([
    [null, '2027-01-31', '2027-01-31'],
    ['2027-03-01', '2027-01-31', '2027-03-01'],
    ['2027-01-31', '2027-01-31', '2027-01-31'],
    // Who buys later is let in at once.
    ['2027-01-01', '2027-01-31', '2027-01-31'],
  ] as [Day | null, Day, Day][])('from %s, bought on %s: on %s', (from, bought, opens) => {
    expect(opensOn(access({ from }), bought)).toBe(opens)
  })
})

describe('a course closes', () => {
  it.each([
    ['never', {}, null],
    ['a year after it opened', { lasts: { count: 1, unit: 'year' } }, '2028-01-31'],
    ['a month after, at the end of a shorter one', { lasts: { count: 1, unit: 'month' } }, '2027-02-28'],
    ['thirty days after', { lasts: { count: 30, unit: 'day' } }, '2027-03-02'],
    ['two weeks after', { lasts: { count: 2, unit: 'week' } }, '2027-02-14'],
    [
      'by when it opened, not by when it was bought',
      { from: '2027-06-15', lasts: { count: 3, unit: 'month' } },
      '2027-09-15',
    ],
    ['on a fixed day', { lasts: { until: '2027-12-24' } }, '2027-12-24'],
    ['on the day after it opened at the earliest', { lasts: { until: '2027-02-01' } }, '2027-02-01'],
  ] as [string, Partial<Access>, Day | null][])('%s', (_what, rule, closes) => {
    expect(of(rule)).toBe(closes)
  })

  it.each([
    [0, '2027-02-03'],
    [1, '2027-03-03'],
    [2, '2027-04-03'],
    [13, '2028-03-03'],
  ] as [number, Day][])('while it is paid: after %i payments, with three days of grace', (paid, closes) => {
    // What is anchored at the 31st comes back to it where a month has one.
    expect(of({ lasts: 'whilePaying', graceDays: 3 }, MONTHLY, '2027-01-31', paid)).toBe(closes)
  })

  it('while it is paid, a trial first: the days of the trial are open too', () => {
    expect(of({ lasts: 'whilePaying' }, TRIED, '2027-01-31', 0)).toBe('2027-02-14')
    expect(of({ lasts: 'whilePaying' }, TRIED, '2027-01-31', 1)).toBe('2027-03-14')
  })

  it.each([
    [
      'a fixed day that is not after the opening',
      { from: '2027-06-15', lasts: { until: '2027-06-15' } },
      SINGLE,
      '/access/lasts/until',
    ],
    ['a fixed day that has passed', { lasts: { until: '2027-01-01' } }, SINGLE, '/access/lasts/until'],
    ['while paying, of what is paid once', { lasts: 'whilePaying' }, SINGLE, '/access/lasts'],
  ] as [string, Partial<Access>, Terms, string][])('%s is refused at its field', (_what, rule, terms, at) => {
    try {
      of(rule, terms)
      expect.unreachable()
    } catch (error) {
      expect(error).toBeInstanceOf(DocumentError)
      expect((error as DocumentError).at).toBe(at)
    }
  })
})

describe('where the money came days after the order', () => {
  const late = (rule: Partial<Access>, terms: Terms = SINGLE, paid = 0) =>
    closesOnceIn(access(rule), terms, '2027-01-31', paid, '2027-02-04')

  it('what lasts a span counts from the day on which it came: nobody loses days by waiting', () => {
    expect(late({ lasts: { count: 1, unit: 'month' } })).toBe('2027-03-04')
    expect(late({ from: '2027-06-15', lasts: { count: 1, unit: 'month' } })).toBe('2027-07-15')
    expect(late({})).toBeNull()
  })

  it('a fixed day stays, also where it has passed by then', () => {
    expect(late({ lasts: { until: '2027-12-24' } })).toBe('2027-12-24')
    expect(late({ lasts: { until: '2027-02-02' } })).toBe('2027-02-02')
  })

  it('what is paid by the month goes by the purchase: its payments are due by that', () => {
    expect(late({ lasts: 'whilePaying' }, MONTHLY, 1)).toBe('2027-02-28')
  })

  it('is the same as at once where it came on the day of the purchase, for every rule', () => {
    const day = fc.nat({ max: 3000 }).map((days) => addDays('2027-01-01', days))
    const rule = fc.record({
      from: fc.option(day),
      lasts: fc.oneof(
        fc.constant('forever' as const),
        fc.record({ count: fc.integer({ min: 1, max: 50 }), unit: fc.constantFrom('day', 'week', 'month', 'year') }),
      ),
      graceDays: fc.nat({ max: 90 }),
    })
    fc.assert(
      fc.property(rule, day, (lasting, bought) => {
        const closes = closesOn(lasting as Access, SINGLE, bought, 0, '')
        expect(closesOnceIn(lasting as Access, SINGLE, bought, 0, bought)).toBe(closes)
        if (closes !== null) expect(closes > opensOn(lasting as Access, bought)).toBe(true)
      }),
    )
  })
})
