import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { formatMoney } from '../money/format.ts'
import { quote } from '../quote/quote.ts'
import { readQuoteRequest } from '../quote/read.ts'
import {
  formatEnrolButton,
  formatInParts,
  formatLater,
  formatPayButton,
  formatPriceSentence,
  formatShortPrice,
  formatWholePrice,
  formatWholePrices,
  type OfferInWords,
  todayInParts,
} from './sentence.ts'

const month = { count: 1, unit: 'month' }
const year = { count: 1, unit: 'year' }
const days = (count: number) => ({ count, unit: 'day' })
const euro = { currency: 'EUR', language: 'en' }

interface TestCase {
  access?: object
  sale?: object
  tax?: object
  at?: string
  currency?: string
  language?: string
}

function inWords(
  terms: object,
  { access, sale, tax, at = '2027-01-31T09:30:00+01:00', currency = 'EUR', language = 'en' }: TestCase = {},
): OfferInWords {
  const request = readQuoteRequest({
    currency,
    timeZone: 'Europe/Vienna',
    at,
    tax: tax ?? { mode: 'inclusive', rate: 2000 },
    lines: [{ role: 'main', offer: { id: 'o', courses: [{ id: 'c' }], terms, access, sale } }],
  })
  const { lines, purchaseDay } = quote(request)
  const offer = request.lines[0]?.offer
  if (!lines[0] || !offer) throw new Error('no line')
  return { terms: offer.terms, access: offer.access, line: lines[0], purchaseDay, money: { currency, language } }
}

const single = { kind: 'single', amount: 12_900 }
const three = { kind: 'installments', count: 3, every: month, total: 12_900 }
const monthly = { kind: 'subscription', amount: 1900, every: month }
const whilePaying = (graceDays = 0) => ({ access: { lasts: 'whilePaying', graceDays } })

describe('the whole price in sentences', () => {
  const table: [string, string, object, TestCase?][] = [
    ['Free. Open for good.', 'free', { kind: 'free' }],
    ['Free. Open until 31 January 2028.', 'free', { kind: 'free' }, { access: { lasts: year } }],
    ['€129.00 today. Open for good.', '€129', single],
    ['€129.50 today. Open for good.', '€129.50', { kind: 'single', amount: 12_950 }],
    ['€129.00 today. Open until 31 January 2028.', '€129', single, { access: { lasts: year } }],
    ['€129.00 today. Open until 14 February.', '€129', single, { access: { lasts: { count: 2, unit: 'week' } } }],
    ['€129.00 today. Open until 24 December.', '€129', single, { access: { lasts: { until: '2027-12-24' } } }],
    ['€129.00 today. Opens on 1 March and stays open for good.', '€129', single, { access: { from: '2027-03-01' } }],
    [
      '€129.00 today. Opens on 1 March and stays open until 1 March 2028.',
      '€129',
      single,
      { access: { from: '2027-03-01', lasts: year } },
    ],
    ['€129.00 today. Open for good.', '€129', single, { access: { from: '2026-03-01' } }],
    ['€154.80 today. Open for good.', '€154.80', single, { tax: { mode: 'exclusive', rate: 2000 } }],
    ['€99.00 today. Open for good.', '€99', single, { sale: { amount: 9900, scope: 'every' } }],
    ['¥500 today. Open for good.', '¥500', { kind: 'single', amount: 500 }, { currency: 'JPY' }],
    ['KWD 1.250 today. Open for good.', 'KWD 1.250', { kind: 'single', amount: 1250 }, { currency: 'KWD' }],
    [
      'The buyer names the price, from €4.00; €12.00 is suggested. Open for good.',
      'from €4',
      { kind: 'openPrice', minimum: 400, suggested: 1200 },
    ],
    [
      'The buyer names the price; €12.00 is suggested. Open for good.',
      'your price',
      { kind: 'openPrice', minimum: 0, suggested: 1200 },
    ],
    [
      'The buyer names the price; €0.00 is suggested. Open for good.',
      'your price',
      { kind: 'openPrice', minimum: 0, suggested: 0 },
    ],

    ['€43.00 today, then €43.00 on 28 February and 31 March. €129.00 in all. Open for good.', '3 × €43', three],
    [
      '€43.00 today, then €43.00 on 28 February and 31 March. €129.00 in all. Open until 31 January 2028.',
      '3 × €43',
      three,
      { access: { lasts: year } },
    ],
    [
      '€50.00 today, then €50.00 on 28 February. €100.00 in all. Open for good.',
      '2 × €50',
      { kind: 'installments', count: 2, every: month, amount: 5000 },
    ],
    [
      '€25.00 today, then €25.00 on 14 February, 28 February and 14 March. €100.00 in all. Open for good.',
      '4 × €25',
      { kind: 'installments', count: 4, every: { count: 2, unit: 'week' }, total: 10_000 },
    ],
    [
      '€33.34 today, then €33.33 on 28 February and 31 March. €100.00 in all. Open for good.',
      '€33.34, then 2 × €33.33',
      { ...three, total: 10_000 },
    ],
    [
      '€14.29 today, then 4 payments of €14.29, one every month, the first on 28 February, then €14.28 on 30 June and 31 July. €100.01 in all. Open for good.',
      '5 × €14.29, then 2 × €14.28',
      { ...three, count: 7, total: 10_001 },
    ],
    [
      '€10.00 today, then 11 payments of €10.00, one every month, the first on 28 February. €120.00 in all. Open for good.',
      '12 × €10',
      { kind: 'installments', count: 12, every: month, amount: 1000 },
    ],
    [
      '€800.00 deposit today, then 8 payments of €90.00, one every month, the first on 28 February. €1,520.00 in all. Open for good.',
      '€800 + 8 × €90',
      { kind: 'installments', count: 8, every: month, amount: 9000, deposit: 80_000 },
    ],
    [
      '€800.00 deposit today, then 8 payments of €90.00, one every month, the first on 5 April. €1,520.00 in all. Open for good.',
      '€800 + 8 × €90',
      { kind: 'installments', count: 8, every: month, amount: 9000, deposit: 80_000 },
      { at: '2027-03-05T10:00:00Z' },
    ],
    [
      '€10.00 deposit today, then €50.00 on 28 February and 31 March. €110.00 in all. Open for good.',
      '€10 + 2 × €50',
      { kind: 'installments', count: 2, every: month, amount: 5000, deposit: 1000 },
    ],
    [
      '€10.00 deposit today, then €33.34 on 28 February, then €33.33 on 31 March and 30 April. €110.00 in all. Open for good.',
      '€10 + €33.34, then 2 × €33.33',
      { ...three, total: 10_000, deposit: 1000 },
    ],
    [
      '7 days free, then €43.00 on 7 February, 7 March and 7 April. €129.00 in all. Open for good.',
      '3 × €43',
      { ...three, trial: { length: days(7) } },
    ],
    [
      '€1.00 today for the first 14 days, then €43.00 on 14 February, 14 March and 14 April. €130.00 in all. Open for good.',
      '3 × €43',
      { ...three, trial: { length: days(14), amount: 100 } },
    ],
    [
      '€21.50 today, then €43.00 on 28 February and 31 March. €107.50 in all. Open for good.',
      '€21.50, then 2 × €43',
      { kind: 'installments', count: 3, every: month, amount: 4300 },
      { sale: { amount: 2150, scope: 'first' } },
    ],
    [
      '€33.00 today, then €33.00 on 28 February and 31 March. €99.00 in all. Open for good.',
      '3 × €33',
      three,
      { sale: { amount: 9900, scope: 'every' } },
    ],
    [
      '€10.00 deposit today, then €25.00 on 28 February, then €50.00 on 31 March. €85.00 in all. Open for good.',
      '€10 + €25, then €50',
      { kind: 'installments', count: 2, every: month, amount: 5000, deposit: 1000 },
      { sale: { amount: 2500, scope: 'first' } },
    ],
    [
      '€18.00 today, then 4 payments of €18.00, one every 3 months, the first on 30 April. €90.00 in all. Open for good.',
      '5 × €18',
      { kind: 'installments', count: 5, every: { count: 3, unit: 'month' }, amount: 1800 },
    ],
    [
      '€60.00 today, then €60.00 on 31 January 2028. €120.00 in all. Open for good.',
      '2 × €60',
      { kind: 'installments', count: 2, every: year, amount: 6000 },
    ],
    [
      '€51.60 today, then €51.60 on 28 February and 31 March. €154.80 in all. Open for good.',
      '3 × €51.60',
      three,
      { tax: { mode: 'exclusive', rate: 2000 } },
    ],

    ['€19.00 today, then €19.00 every month from 28 February until cancelled. Open for good.', '€19 a month', monthly],
    [
      '€19.00 today, then €19.00 every month from 28 February until cancelled. Open while it is paid.',
      '€19 a month',
      monthly,
      whilePaying(),
    ],
    [
      '€19.00 today, then €19.00 every month from 28 February until cancelled. Open while it is paid and 3 days longer.',
      '€19 a month',
      monthly,
      whilePaying(3),
    ],
    [
      '€19.00 today, then €19.00 every month from 28 February until cancelled. Open while it is paid and 1 day longer.',
      '€19 a month',
      monthly,
      whilePaying(1),
    ],
    [
      '€190.00 today, then €190.00 every year from 31 January 2028 until cancelled. Open while it is paid.',
      '€190 a year',
      { kind: 'subscription', amount: 19_000, every: year },
      whilePaying(),
    ],
    [
      '€5.00 today, then €5.00 every 2 weeks from 14 February until cancelled. Open for good.',
      '€5 every 2 weeks',
      { kind: 'subscription', amount: 500, every: { count: 2, unit: 'week' } },
    ],
    [
      '€5.00 today, then €5.00 every day from 1 February until cancelled. Open for good.',
      '€5 a day',
      { kind: 'subscription', amount: 500, every: days(1) },
    ],
    [
      '7 days free, then €19.00 every month from 7 February until cancelled. Open for good.',
      '€19 a month',
      { ...monthly, trial: { length: days(7) } },
    ],
    [
      '7 days free, then €19.00 every month from 12 March until cancelled. Open for good.',
      '€19 a month',
      { ...monthly, trial: { length: days(7) } },
      { at: '2027-03-05T10:00:00Z' },
    ],
    [
      '1 month free, then €19.00 every month from 28 February until cancelled. Open for good.',
      '€19 a month',
      { ...monthly, trial: { length: month } },
    ],
    [
      '€1.00 today for the first 14 days, then €19.00 every month from 14 February until cancelled. Open for good.',
      '€19 a month',
      { ...monthly, trial: { length: days(14), amount: 100 } },
    ],
    [
      '€240.00 to begin, then €36.00 every year from 31 January 2028 until cancelled. Open for good.',
      '€204 + €36 a year',
      { kind: 'subscription', amount: 3600, every: year, setupFee: 20_400 },
    ],
    [
      '€240.00 to begin, 14 days free, then €36.00 every year from 14 February until cancelled. Open for good.',
      '€240 + €36 a year',
      { kind: 'subscription', amount: 3600, every: year, setupFee: 24_000, trial: { length: days(14) } },
    ],
    [
      '€240.00 to begin, €1.00 for the first 14 days, then €36.00 every year from 14 February until cancelled. Open for good.',
      '€240 + €36 a year',
      { kind: 'subscription', amount: 3600, every: year, setupFee: 24_000, trial: { length: days(14), amount: 100 } },
    ],
    [
      '€18.00 today, then 4 payments of €18.00, one every 3 months, the first on 30 April. €90.00 in all. Open for good.',
      '5 × €18',
      { kind: 'subscription', amount: 1800, every: { count: 3, unit: 'month' }, payments: 5 },
    ],
    ['€18.00 today. Open for good.', '€18', { kind: 'subscription', amount: 1800, every: month, payments: 1 }],
    [
      '€18.00 today, then €18.00 on 28 February. €36.00 in all. Open while it is paid.',
      '2 × €18',
      { kind: 'subscription', amount: 1800, every: month, payments: 2 },
      whilePaying(),
    ],
    [
      '€9.50 today, then €19.00 every month from 28 February until cancelled. Open for good.',
      '€9.50, then €19 a month',
      monthly,
      { sale: { amount: 950, scope: 'first' } },
    ],
    [
      '€15.00 today, then €15.00 every month from 28 February until cancelled. Open for good.',
      '€15 a month',
      monthly,
      { sale: { amount: 1500, scope: 'every' } },
    ],
    [
      '7 days free, then €9.50 on 7 February, then €19.00 every month from 7 March until cancelled. Open for good.',
      '€9.50, then €19 a month',
      { ...monthly, trial: { length: days(7) } },
      { sale: { amount: 950, scope: 'first' } },
    ],
    [
      '€9.50 today, then €19.00 on 28 February and 31 March. €47.50 in all. Open for good.',
      '€9.50, then 2 × €19',
      { ...monthly, payments: 3 },
      { sale: { amount: 950, scope: 'first' } },
    ],
    [
      '€22.80 today, then €22.80 every month from 28 February until cancelled. Open for good.',
      '€22.80 a month',
      monthly,
      { tax: { mode: 'exclusive', rate: 2000 } },
    ],
    [
      '¥900 today, then ¥900 every month from 28 February until cancelled. Open for good.',
      '¥900 a month',
      { kind: 'subscription', amount: 900, every: month },
      { currency: 'JPY' },
    ],
    ['129,00 € today. Open for good.', '129 €', single, { language: 'de-DE' }],
    ['€129.00 today. Open until January 31, 2028.', '€129', single, { language: 'en-US', access: { lasts: year } }],
    [
      '€43.00 today, then €43.00 on 29 February and 31 March. €129.00 in all. Open for good.',
      '3 × €43',
      three,
      { at: '2028-01-31T10:00:00Z' },
    ],
    [
      '€43.00 today, then €43.00 on 30 January 2028 and 29 February 2028. €129.00 in all. Open for good.',
      '3 × €43',
      three,
      { at: '2027-12-30T10:00:00Z' },
    ],
  ]
  it('holds at least sixty cases', () => {
    expect(table.length).toBeGreaterThanOrEqual(60)
  })
  it.each(table)('%s', (sentence, short, terms, asked) => {
    const priced = inWords(terms, asked)
    const plain = (text: string) => text.replaceAll('\u00a0', ' ')
    expect(plain(formatPriceSentence(priced))).toBe(sentence)
    expect(plain(formatShortPrice(priced))).toBe(short)
  })
})

const deposit = { kind: 'installments', count: 8, every: month, amount: 6500, deposit: 18_000 }
const trial = (amount: number, count = 7) => ({ trial: { length: days(count), amount } })

describe('a price in the shop, whole', () => {
  it.each<[string, object, TestCase?]>([
    ['free', { kind: 'free' }],
    ['€129', single],
    ['from €4', { kind: 'openPrice', minimum: 400, suggested: 900 }],
    ['3 × €43 (€129 in all)', three],
    ['€30 deposit + 3 × €30 (€120 in all)', { ...three, total: 9000, deposit: 3000 }],
    ['€180 deposit + 8 × €65 (€700 in all)', deposit],
    ['€19 a month', monthly],
    ['€10 for the first month, then €19 a month', monthly, { sale: { amount: 1000, scope: 'first' } }],
    ['12 × €19 (€228 in all)', { ...monthly, payments: 12 }],
    ['€10, then 11 × €19 (€219 in all)', { ...monthly, payments: 12 }, { sale: { amount: 1000, scope: 'first' } }],
    ['7 days free, then €19 a month', { ...monthly, ...trial(0) }],
    ['€1 for 14 days, then €19 a month', { ...monthly, ...trial(100, 14) }],
    ['€24 to begin, then €19 a month', { ...monthly, setupFee: 2400 }],
    ['€24 to begin, 7 days free, then €19 a month', { ...monthly, setupFee: 2400, ...trial(0) }],
    ['7 days free, then 3 × €43 (€129 in all)', { ...three, ...trial(0) }],
    ['€33.34, then 2 × €33.33 (€100 in all)', { ...three, total: 10_000 }],
    ['3 × €30 (€90 in all)', three, { sale: { amount: 9000, scope: 'every' } }],
  ])('%s', (whole, terms, asked) => {
    expect(formatWholePrice(inWords(terms, asked))).toBe(whole)
  })

  it('of several offers says the first two, each once, and how many more there are', () => {
    const [one, parts, monthlyOne] = [inWords(single), inWords(three), inWords(monthly)]
    expect(formatWholePrices([one])).toBe('€129')
    expect(formatWholePrices([one, parts])).toBe('€129, or 3 × €43 (€129 in all)')
    expect(formatWholePrices([one, one, parts])).toBe('€129, or 3 × €43 (€129 in all)')
    expect(formatWholePrices([one, parts, monthlyOne])).toBe('€129, or 3 × €43 (€129 in all), or 1 more price')
  })

  it('a deposit and its parts come to one sum, said once', () => {
    expect(formatInParts(inWords({ ...three, total: 9000, deposit: 3000 }))).toBe(
      '€30.00 deposit, then 3 × €30.00; €120.00 in all',
    )
    expect(formatInParts(inWords(three))).toBe('3 × €43.00; €129.00 in all')
  })

  it('what is paid once to begin is named, a free trial too', () => {
    const named = (terms: object) => todayInParts(inWords(terms)).map(({ name, pay }) => [name, pay])
    expect(named(single)).toEqual([[null, 12_900]])
    expect(named(deposit)).toEqual([['Deposit', 18_000]])
    expect(named({ ...monthly, setupFee: 2400 })).toEqual([
      ['Set-up fee', 2400],
      [null, 1900],
    ])
    expect(named({ ...monthly, setupFee: 2400, ...trial(100) })).toEqual([
      ['Set-up fee', 2400],
      ['First 7 days', 100],
    ])
    expect(named({ ...monthly, ...trial(0) })).toEqual([['First 7 days', 0]])
  })
})

describe('the line below an offer', () => {
  it.each<[string, object, TestCase?]>([
    ['opens at once · yours for good', single],
    ['opens at once · for 1 year', single, { access: { lasts: year } }],
    [
      'opens on 1 March · until 24 December',
      single,
      { access: { from: '2027-03-01', lasts: { until: '2027-12-24' } } },
    ],
    ['then €43.00 on 28 February and 31 March · opens at once · yours for good', three],
    [
      'then €19.00 every month from 28 February until cancelled · opens at once · while you pay',
      monthly,
      whilePaying(),
    ],
  ])('%s', (line, terms, asked) => {
    expect(formatLater(inWords(terms, asked))).toBe(line)
  })
})

describe('buttons', () => {
  it.each([
    [12_900, false, 'Pay €129.00'],
    [4300, true, 'Pay €43.00 today'],
    [0, true, 'Start for €0.00 today'],
    [0, false, 'Get the course'],
  ] as const)('that pay %i, with later payments: %s', (today, hasLater, label) => {
    expect(formatPayButton(today, hasLater, euro)).toBe(label)
  })

  it.each<[string, object]>([
    ['Get the course', { kind: 'free' }],
    ['Enrol for €129.00', single],
    ['Enrol for €43.00 today', three],
    ['From €4.00', { kind: 'openPrice', minimum: 400, suggested: 1200 }],
    ['Name your price', { kind: 'openPrice', minimum: 0, suggested: 1200 }],
    ['Try 7 days free', { ...monthly, trial: { length: days(7) } }],
    ['Try 7 days free', { ...three, ...trial(0) }],
    ['Enrol for €1.00 today', { ...monthly, ...trial(100) }],
    ['Enrol for €24.00 today', { ...monthly, setupFee: 2400, ...trial(0) }],
  ])('on the course page: %s', (label, terms) => {
    expect(formatEnrolButton(inWords(terms), '')).toBe(label)
    expect(formatEnrolButton(inWords(terms), ' Begin now ')).toBe('Begin now')
  })
})

it('is included for members where holders pay nothing', () => {
  const free = inWords({ kind: 'free' })
  expect(formatEnrolButton(free, '', true)).toBe('Included for members')
  expect(formatEnrolButton(free, 'Take it', true)).toBe('Take it')
  expect(formatEnrolButton(inWords({ kind: 'single', amount: 4900 }), '', true)).toBe('Enrol for €49.00')
})

it('leaves out zeros where the school does', () => {
  const school = { ...euro, leaveOutZeros: true }
  expect(formatPayButton(12_900, false, school)).toBe('Pay €129')
  expect(formatPayButton(12_950, true, school)).toBe('Pay €129.50 today')
})

it('never says an amount or a day that the numbers do not hold', () => {
  const span = fc.record({
    count: fc.integer({ min: 1, max: 6 }),
    unit: fc.constantFrom('day', 'week', 'month', 'year'),
  })
  const trial = fc.option(fc.record({ length: span, amount: fc.integer({ min: 0, max: 500 }) }))
  const terms = fc.oneof(
    fc.record({
      kind: fc.constant('installments'),
      count: fc.integer({ min: 2, max: 30 }),
      every: span,
      total: fc.integer({ min: 30, max: 500_000 }),
      trial,
    }),
    fc.record({
      kind: fc.constant('installments'),
      count: fc.integer({ min: 2, max: 30 }),
      every: span,
      amount: fc.integer({ min: 1, max: 50_000 }),
      deposit: fc.option(fc.integer({ min: 1, max: 90_000 })),
    }),
    fc.record({
      kind: fc.constant('subscription'),
      amount: fc.integer({ min: 1, max: 50_000 }),
      every: span,
      payments: fc.option(fc.integer({ min: 1, max: 30 })),
      setupFee: fc.integer({ min: 0, max: 30_000 }),
      trial,
    }),
  )
  fc.assert(
    fc.property(terms, (asked) => {
      const priced = inWords(asked)
      const { payments, untilCancelled } = priced.line
      const sum = (list: typeof payments) => list.reduce((all, { pay }) => all + pay, 0)
      const today = payments.filter(({ due }) => due === priced.purchaseDay)
      const held = new Set(
        [...payments.map(({ pay }) => pay), sum(today), sum(payments)].map((amount) => formatMoney(amount, euro)),
      )
      const sentence = formatPriceSentence(priced)
      for (const [amount] of sentence.matchAll(/€[\d,]+\.\d\d/g)) expect(held).toContain(amount)
      if (!untilCancelled && payments.some(({ due }) => due > priced.purchaseDay))
        expect(sentence).toContain(`${formatMoney(sum(payments), euro)} in all.`)
      expect(sentence.includes('until cancelled')).toBe(untilCancelled)
      expect(sentence).not.toMatch(/undefined|NaN|null|, \.|\.\.| {2}/)
    }),
  )
})
