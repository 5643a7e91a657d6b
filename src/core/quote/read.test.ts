import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { pointersOf, withAt } from '../../testing/documents.ts'
import { DocumentError } from '../document/reader.ts'
import { readQuoteRequest } from './read.ts'

type Json = Record<string, unknown>

const GOOD: Json = {
  currency: 'EUR',
  timeZone: 'Europe/Vienna',
  at: '2027-01-31T09:30:00+01:00',
  tax: { mode: 'exclusive', rate: 2000 },
  horizon: 24,
  buyer: { purchases: 2 },
  lines: [
    {
      role: 'main',
      offer: {
        id: 'book',
        courses: [{ id: 'coptic', weight: 3 }, { id: 'paper' }],
        terms: { kind: 'installments', count: 4, every: { count: 1, unit: 'month' }, amount: 4500, deposit: 9900 },
        sale: { amount: 3900, from: '2027-01-01T00:00:00Z', until: null, scope: 'every' },
        taxRate: 1000,
        access: { from: '2027-03-01', lasts: { count: 1, unit: 'year' }, graceDays: 7 },
      },
    },
    {
      role: 'bump',
      chosen: 1500,
      offer: { id: 'gift', courses: [{ id: 'gift' }], terms: { kind: 'openPrice', minimum: 500, suggested: 1000 } },
    },
    {
      role: 'upsell',
      offer: {
        id: 'club',
        courses: [{ id: 'club' }],
        terms: {
          kind: 'subscription',
          amount: 1900,
          every: { count: 3, unit: 'month' },
          payments: 8,
          setupFee: 500,
          trial: { length: { count: 14, unit: 'day' }, amount: 100 },
        },
        access: { lasts: 'whilePaying', graceDays: 3 },
      },
    },
  ],
  coupons: [
    { code: 'SPRING', kind: 'percent', rate: 1500, payments: null, offers: ['book'], roles: ['main', 'bump'] },
    { code: 'five_off', kind: 'fixed', amount: 500, currency: 'EUR', limit: 10, used: 3, combines: true },
  ],
  codes: ['spring', ' FIVE_OFF '],
}

/** What is said of a document that is refused: the pointer, and why. */
function refusal(document: unknown, at = ''): [string, string] {
  try {
    readQuoteRequest(document, at)
  } catch (error) {
    if (error instanceof DocumentError) return [error.at, error.why]
    throw error
  }
  throw new Error('It was read.')
}

it('reads every field, and what is left out as the rules say', () => {
  const read = readQuoteRequest(GOOD)
  expect(read).toMatchObject({ currency: 'EUR', horizon: 24, buyer: { purchases: 2 }, codes: ['spring', ' FIVE_OFF '] })
  expect(read.lines.map(({ role, chosen }) => [role, chosen])).toEqual([
    ['main', null],
    ['bump', 1500],
    ['upsell', null],
  ])
  expect(read.lines[0]?.offer).toMatchObject({
    courses: [
      { id: 'coptic', weight: 3 },
      { id: 'paper', weight: 1 },
    ],
    taxRate: 1000,
    access: { from: '2027-03-01', lasts: { count: 1, unit: 'year' }, graceDays: 7 },
  })
  expect(read.lines[1]?.offer).toMatchObject({ sale: null, taxRate: null, access: { lasts: 'forever', graceDays: 0 } })
  expect(read.coupons[0]).toMatchObject({ payments: null, minimum: 0, limit: null, used: 0, combines: false })
  expect(read.coupons[1]).toMatchObject({ payments: 1, offers: null, reduction: { kind: 'fixed', amount: 500 } })
  expect([...(read.coupons[1]?.roles ?? [])]).toEqual(['main'])
  const { tax, horizon, buyer, coupons, codes, ...least } = GOOD
  expect(readQuoteRequest(least)).toMatchObject({
    tax: { mode: 'none', rate: 0 },
    horizon: 12,
    buyer: { purchases: 0 },
    coupons: [],
    codes: [],
  })
})

describe('a document that breaks a rule is refused at the field at fault', () => {
  const MISSING = 'is missing'
  const WHOLE = 'must be a whole number'
  const CASES: [pointer: string, value: unknown, why: string, at?: string][] = [
    ['', null, MISSING],
    ['', [], 'must be an object'],
    ['', 'text', 'must be an object'],
    ['/currency', undefined, MISSING],
    ['/currency', 'euro', 'must be an ISO 4217 currency, like EUR'],
    ['/currency', 'eur', 'must be an ISO 4217 currency, like EUR'],
    ['/currency', 978, 'must be text'],
    ['/timeZone', 'Vienna', 'must be an IANA time zone, like Europe/Vienna'],
    ['/timeZone', null, MISSING],
    ['/at', '2027-01-31', 'must be an RFC 3339 instant with an offset, of the years 2000 to 2999'],
    ['/at', '2027-01-31T09:30:00', 'must be an RFC 3339 instant with an offset, of the years 2000 to 2999'],
    ['/at', '1999-12-31T23:59:59Z', 'must be an RFC 3339 instant with an offset, of the years 2000 to 2999'],
    ['/at', '2027-02-30T09:30:00Z', 'must be an RFC 3339 instant with an offset, of the years 2000 to 2999'],
    ['/tax/mode', 'vat', 'must be one of none, inclusive, exclusive'],
    ['/tax/rate', 10_001, 'must be at most 10000'],
    ['/tax/rate', -1, 'must be at least 0'],
    ['/tax/rate', 19.5, WHOLE],
    ['/tax/country', 'AT', 'is not a known field'],
    ['/horizon', 0, 'must be at least 1'],
    ['/horizon', 121, 'must be at most 120'],
    ['/horizon', '12', WHOLE],
    ['/buyer/purchases', -1, 'must be at least 0'],
    ['/buyer/name', 'Ida', 'is not a known field'],
    ['/lines', undefined, MISSING],
    ['/lines', [], 'must hold at least 1'],
    ['/lines', {}, 'must be a list'],
    ['/lines', Array(51).fill(null), 'must hold at most 50'],
    ['/lines/0', null, MISSING],
    ['/lines/0/role', 'extra', 'must be one of main, bump, upsell'],
    ['/lines/0/role', undefined, MISSING],
    ['/lines/0/chosen', 4000, 'is for name-your-price terms'],
    ['/lines/0/note', 'x', 'is not a known field'],
    ['/lines/1/offer/id', 'book', 'stands in the basket already'],
    ['/lines/1/offer/id', '', 'must not be empty'],
    ['/lines/1/chosen', 499, 'must be at least 500'],
    ['/lines/1/chosen', 1000.5, WHOLE],
    ['/lines/1/offer/terms/suggested', 499, 'must be at least 500'],
    ['/lines/1/offer/terms/minimum', -1, 'must be at least 0'],
    ['/lines/1/offer/terms/amount', 100, 'is not a field of openPrice terms'],
    ['/lines/1/offer/sale', { amount: 1, scope: 'every' }, 'openPrice terms take no sale price'],
    ['/lines/0/offer/courses', [], 'must hold at least 1'],
    ['/lines/0/offer/courses/1/id', 'coptic', 'stands in the offer already'],
    ['/lines/0/offer/courses/0/weight', -1, 'must be at least 0'],
    ['/lines/0/offer/courses/0/title', 'Coptic binding', 'is not a known field'],
    ['/lines/0/offer/terms', undefined, MISSING],
    ['/lines/0/offer/terms/kind', 'lease', 'must be one of free, single, openPrice, installments, subscription'],
    ['/lines/0/offer/terms/kind', 'single', 'is not a field of single terms', '/lines/0/offer/terms/count'],
    ['/lines/0/offer/terms/count', 1, 'must be at least 2'],
    ['/lines/0/offer/terms/count', 121, 'must be at most 120'],
    ['/lines/0/offer/terms/every/unit', 'decade', 'must be one of day, week, month, year'],
    ['/lines/0/offer/terms/every/count', 0, 'must be at least 1'],
    ['/lines/0/offer/terms/amount', 0, 'must be at least 1'],
    ['/lines/0/offer/terms/amount', undefined, 'needs an amount of each or a total', '/lines/0/offer/terms'],
    ['/lines/0/offer/terms/total', 18_000, 'cannot stand beside an amount of each'],
    ['/lines/0/offer/terms/deposit', 0, 'must be at least 1'],
    ['/lines/0/offer/terms/trial', { length: { count: 7, unit: 'day' }, amount: 0 }, 'cannot stand beside a deposit'],
    ['/lines/0/offer/terms/setupFee', 100, 'is not a field of installments terms'],
    ['/lines/0/offer/sale/amount', 4500, 'must be lower than the amount it replaces'],
    ['/lines/0/offer/sale/amount', 0, 'must be at least 1'],
    ['/lines/0/offer/sale/scope', 'last', 'must be one of every, first'],
    ['/lines/0/offer/sale/from', 'today', 'must be an RFC 3339 instant with an offset, of the years 2000 to 2999'],
    ['/lines/0/offer/taxRate', 10_001, 'must be at most 10000'],
    ['/lines/0/offer/access/from', '2027-02-29', 'must be a date that exists, like 2027-01-31'],
    ['/lines/0/offer/access/lasts', 'whilePaying', 'whilePaying is for subscriptions'],
    ['/lines/0/offer/access/lasts', 'always', 'must be one of forever, whilePaying'],
    [
      '/lines/0/offer/access/lasts',
      { until: '2027-13-01' },
      'must be a date that exists, like 2027-01-31',
      '/lines/0/offer/access/lasts/until',
    ],
    [
      '/lines/0/offer/access/lasts',
      { until: '2028-01-01', unit: 'day' },
      'is not a known field',
      '/lines/0/offer/access/lasts/unit',
    ],
    ['/lines/0/offer/access/graceDays', 91, 'must be at most 90'],
    ['/lines/2/offer/access/from', '2027-03-01', 'cannot stand beside whilePaying'],
    ['/lines/2/offer/terms/payments', 0, 'must be at least 1'],
    ['/lines/2/offer/terms/payments', 521, 'must be at most 520'],
    ['/lines/2/offer/terms/setupFee', -5, 'must be at least 0'],
    ['/lines/2/offer/terms/trial/length/count', 366_000, 'must be at most'],
    ['/lines/2/offer/terms/trial/amount', 1.25, WHOLE],
    ['/coupons/0/code', 'with space', 'must be 1 to 40 of A–Z, a–z, 0–9, - and _'],
    ['/coupons/0/code', '', 'must be 1 to 40 of A–Z, a–z, 0–9, - and _'],
    ['/coupons/0/code', 'X'.repeat(41), 'must be 1 to 40 of A–Z, a–z, 0–9, - and _'],
    ['/coupons/1/code', 'spring', 'is the code of another coupon'],
    ['/coupons/0/kind', 'half', 'must be one of percent, fixed'],
    ['/coupons/0/rate', 0, 'must be at least 1'],
    ['/coupons/0/rate', 10_001, 'must be at most 10000'],
    ['/coupons/0/amount', 100, 'is not a field of a percent coupon'],
    ['/coupons/0/currency', 'EUR', 'is not a field of a percent coupon'],
    ['/coupons/1/rate', 100, 'is not a field of a fixed coupon'],
    ['/coupons/1/amount', 0, 'must be at least 1'],
    ['/coupons/1/currency', 'EURO', 'must be an ISO 4217 currency, like EUR'],
    ['/coupons/1/payments', 0, 'must be at least 1'],
    ['/coupons/0/offers', ['book', ''], 'must not be empty', '/coupons/0/offers/1'],
    ['/coupons/0/roles', ['main', 'gift'], 'must be one of main, bump, upsell', '/coupons/0/roles/1'],
    ['/coupons/0/skipsSale', 'yes', 'must be true or false'],
    ['/coupons/0/minimum', -1, 'must be at least 0'],
    ['/coupons/0/limit', -1, 'must be at least 0'],
    ['/coupons/0/usedByBuyer', 0.5, WHOLE],
    ['/coupons/0/startsAt', '2027-01-01', 'must be an RFC 3339 instant with an offset, of the years 2000 to 2999'],
    ['/coupons/0/firstPurchase', true, 'is not a known field'],
    ['/codes', 'SPRING', 'must be a list'],
    ['/codes', Array(21).fill('A'), 'must hold at most 20'],
    ['/codes/1', 7, 'must be text'],
    ['/horizonn', 12, 'is not a known field'],
  ]

  it.each(CASES)('%s %j', (pointer, value, why, at = pointer) => {
    const [where, said] = refusal(withAt(GOOD, pointer, value))
    expect(where).toBe(at)
    expect(said.startsWith(why), said).toBe(true)
  })

  it('names of fields are escaped in pointers, and pointers begin where the document stands', () => {
    expect(refusal(withAt(GOOD, '/a~1b', 1))[0]).toBe('/a~01b')
    expect(refusal({ ...GOOD, 'tax/rate~': 1 })[0]).toBe('/tax~1rate~0')
    expect(refusal(withAt(GOOD, '/lines/0/role', 'x'), '/quote')[0]).toBe('/quote/lines/0/role')
  })

  it('null is as good as absent wherever something may be absent', () => {
    for (const optional of [
      '/tax',
      '/horizon',
      '/buyer',
      '/coupons',
      '/codes',
      '/lines/0/offer/sale',
      '/lines/0/offer/taxRate',
    ]) {
      expect(readQuoteRequest(withAt(GOOD, optional, null))).toEqual(
        readQuoteRequest(withAt(GOOD, optional, undefined)),
      )
    }
  })
})

it('access is forever where nothing is said, and begins on a day that exists', () => {
  const accessOf = (document: unknown) => readQuoteRequest(document).lines.map(({ offer }) => offer.access)
  expect(accessOf(GOOD)).toEqual([
    { from: '2027-03-01', lasts: { count: 1, unit: 'year' }, graceDays: 7 },
    { from: null, lasts: 'forever', graceDays: 0 },
    { from: null, lasts: 'whilePaying', graceDays: 3 },
  ])
  expect(accessOf(withAt(GOOD, '/lines/0/offer/access/lasts', undefined))[0]?.lasts).toBe('forever')
  expect(refusal(withAt(GOOD, '/lines/0/offer/access/from', '2027-02-30'))[0]).toBe('/lines/0/offer/access/from')
})

it('whatever is put wherever, it is read or refused at a pointer of the document, and nothing else happens', () => {
  fc.assert(
    fc.property(fc.constantFrom(...pointersOf(GOOD)), fc.jsonValue({ maxDepth: 2 }), (pointer, value) => {
      const document = withAt(GOOD, pointer, value)
      try {
        readQuoteRequest(document)
      } catch (error) {
        expect(error).toBeInstanceOf(DocumentError)
        expect((error as DocumentError).at.split('/').length).toBeGreaterThan(0)
        expect((error as DocumentError).why).not.toBe('')
      }
    }),
    { numRuns: 1500 },
  )
})
