import fc from 'fast-check'
import * as v from 'valibot'
import { describe, expect, it } from 'vitest'
import {
  accessAfter,
  changeKind,
  type DraftTerms,
  fittingAccess,
  newOffer,
  offerContentSchema,
  quotableSale,
  quotableTerms,
  statementProblem,
} from './offer.ts'
import { describeOffer, quoteInputOf } from './quoteInput.ts'

const every = { count: 1, unit: 'month' } as const
const school = {
  currency: 'EUR',
  language: 'en',
  timeZone: 'Europe/Vienna',
  taxMode: 'inclusive',
  taxRate: 2000,
} as const
const at = '2027-01-31T09:30:00+01:00'
const parts: DraftTerms = {
  kind: 'installments',
  count: 3,
  every,
  amount: null,
  total: 12_900,
  deposit: null,
  trial: null,
}
const monthly: DraftTerms = { kind: 'subscription', amount: 1900, every, payments: null, setupFee: null, trial: null }
const sale = (amount: number | null, scope: 'every' | 'first' = 'every') => ({ amount, from: null, until: null, scope })

describe('a draft’s terms', () => {
  it.each<[string, DraftTerms]>([
    ['one-time', { kind: 'single', amount: null }],
    ['name your price', { kind: 'openPrice', minimum: 0, suggested: null }],
    ['installments with no figure', { ...parts, total: null }],
    ['installments with both figures', { ...parts, amount: 4300 }],
    ['a subscription', { ...monthly, amount: null }],
  ])('that are not whole cannot be quoted: %s', (_name, terms) => {
    expect(quotableTerms(terms)).toBeNull()
    expect(
      describeOffer(school, { id: 'o', courses: [{ id: 'c' }], content: { ...newOffer('x'), terms } }, at),
    ).toBeNull()
  })

  it('keep their figure when their kind changes, there and back', () => {
    const single: DraftTerms = { kind: 'single', amount: 12_900 }
    for (const kind of ['installments', 'subscription', 'openPrice'] as const) {
      expect(changeKind(changeKind(single, kind), 'single')).toEqual(single)
    }
    expect(changeKind(parts, 'subscription')).toMatchObject({ every })
    expect(changeKind(single, 'free')).toEqual({ kind: 'free' })
  })
})

describe('a sale price', () => {
  it.each([
    ['lower than one-time', sale(9900), { kind: 'single', amount: 12_900 }, true],
    ['as high as one-time', sale(12_900), { kind: 'single', amount: 12_900 }, false],
    ['not written yet', sale(null), { kind: 'single', amount: 12_900 }, false],
    ['of a total', sale(9900), parts, true],
    ['of a total, under a unit a part', sale(2), parts, false],
    ['of a total, for the first payment', sale(9900, 'first'), parts, false],
    ['for the first payment of a subscription', sale(950, 'first'), monthly, true],
    ['on free', sale(1), { kind: 'free' }, false],
    ['on name your price', sale(1), { kind: 'openPrice', minimum: 4, suggested: 9 }, false],
  ] as const)('%s', (_name, asked, terms, fits) => {
    expect(quotableSale(asked, terms as DraftTerms) !== null).toBe(fits)
  })
})

it('open while paying becomes open for good on terms that do not repeat', () => {
  const access = { from: null, lasts: 'whilePaying', graceDays: 3 } as const
  expect(fittingAccess(access, monthly).lasts).toBe('whilePaying')
  expect(fittingAccess(access, parts).lasts).toBe('forever')
})

it('a price that becomes a subscription is open while it is paid, unless its access was said before', () => {
  const access = { from: null, lasts: 'forever', graceDays: 0 } as const
  expect(accessAfter(access, parts, monthly)).toEqual({ from: null, lasts: 'whilePaying', graceDays: 3 })
  expect(accessAfter({ ...access, graceDays: 7 }, parts, monthly).graceDays).toBe(7)
  expect(accessAfter({ ...access, from: '2027-01-01' }, parts, monthly).lasts).toBe('forever')
  expect(accessAfter({ ...access, lasts: { count: 1, unit: 'year' } }, parts, monthly).lasts).toEqual({
    count: 1,
    unit: 'year',
  })
  expect(accessAfter(access, monthly, { ...monthly, amount: 5 })).toEqual(access)
  expect(accessAfter({ ...access, lasts: 'whilePaying' }, monthly, parts).lasts).toBe('forever')
})

it('what the schema lets through, the core can quote or calls unfinished; it never breaks', () => {
  const amount = fc.option(fc.integer({ min: 1, max: 99_999_999_999 }))
  const span = fc.record({
    count: fc.integer({ min: 1, max: 10 }),
    unit: fc.constantFrom('day', 'week', 'month', 'year'),
  })
  const trial = fc.option(fc.record({ length: span, amount: fc.integer({ min: 0, max: 500 }) }))
  const terms = fc.oneof(
    fc.record({ kind: fc.constant('single'), amount }),
    fc.record({ kind: fc.constant('openPrice'), minimum: amount, suggested: amount }),
    fc.record({
      kind: fc.constant('installments'),
      count: fc.integer({ min: 2, max: 120 }),
      every: span,
      amount,
      total: amount,
      deposit: amount,
      trial,
    }),
    fc.record({
      kind: fc.constant('subscription'),
      amount,
      every: span,
      payments: fc.option(fc.integer({ min: 1, max: 520 })),
      setupFee: amount,
      trial,
    }),
  )
  const lasts = fc.oneof(
    fc.constantFrom('forever', 'whilePaying'),
    span,
    fc.record({ until: fc.constantFrom('2026-01-01', '2028-02-29') }),
  )
  const content = fc.record({
    name: fc.constant('x'),
    terms,
    button: fc.constant(''),
    highlighted: fc.boolean(),
    taxRate: fc.option(fc.integer({ min: 0, max: 10_000 })),
    sale: fc.option(
      fc.record({
        amount,
        from: fc.constant(null),
        until: fc.constant(null),
        scope: fc.constantFrom('every', 'first'),
      }),
    ),
    access: fc.record({
      from: fc.option(fc.constant('2027-03-01')),
      lasts,
      graceDays: fc.integer({ min: 0, max: 90 }),
    }),
  })
  fc.assert(
    fc.property(content, (asked) => {
      const parsed = v.safeParse(offerContentSchema, { ...newOffer('x'), ...asked })
      expect(parsed.success).toBe(true)
      if (!parsed.success) return
      const said = describeOffer(school, { id: 'o', courses: [{ id: 'c' }], content: parsed.output }, at)
      if (said)
        expect(
          quoteInputOf(school, { id: 'o', courses: [{ id: 'c' }], content: parsed.output }, at).lines[0]?.offer.terms,
        ).not.toBeNull()
    }),
  )
})

it.each([
  ['a day that does not exist', { access: { from: '2027-02-30', lasts: 'forever', graceDays: 0 } }],
  ['too many days of grace', { access: { from: null, lasts: 'forever', graceDays: 91 } }],
  ['a moment without an offset', { sale: { amount: 1, from: '2027-01-01T00:00', until: null, scope: 'every' } }],
  ['a price that is no whole number', { terms: { kind: 'single', amount: 1.5 } }],
  ['a span that is too long', { terms: { ...monthly, every: { count: 61, unit: 'month' } } }],
  ['one part', { terms: { ...parts, count: 1 } }],
  ['a tax rate over all of it', { taxRate: 10_001 }],
  ['a statement that does not print', { statement: 'Fold “& Quire”' }],
  ['a statement that is too long', { statement: 'A'.repeat(23) }],
  ['more lines than there is room for', { lines: 'a\nb\nc\nd\ne\nf' }],
  ['holders of no course', { audience: { who: 'holders', of: ['coptic'] } }],
])('the schema refuses %s', (_name, patch) => {
  expect(v.safeParse(offerContentSchema, { ...newOffer('x'), ...patch }).success).toBe(false)
})

it.each([
  ['', null],
  ['FOLD QUIRE COPTIC', null],
  ['A-1 & Co., 2/3 +', null],
  ['A'.repeat(22), null],
  ['A'.repeat(25), 'It is 3 over 22 characters.'],
  ['1234', 'It needs at least one letter.'],
  ['Büro', '“ü” does not print on every statement. Use A to Z, digits, spaces and . , & / + -'],
])('a card statement %j: %s', (text, why) => {
  expect(statementProblem(text)).toBe(why)
})
