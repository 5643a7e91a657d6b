import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { answerText } from '../commands/command.ts'
import { codesOn } from './codes.ts'
import { quote } from './quote.ts'
import { readQuoteRequest } from './read.ts'

const month = { count: 1, unit: 'month' }
const single = (amount: number) => ({ kind: 'single', amount })
const line = (terms: object, more: object = {}, role = 'main', id = 'o1') => ({
  role,
  offer: { id, courses: [{ id: `c-${id}` }], terms, ...more },
})
const basket = (lines: object[], more: object = {}) => ({
  currency: 'EUR',
  timeZone: 'Europe/Vienna',
  at: '2027-01-31T09:30:00+01:00',
  tax: { mode: 'inclusive', rate: 2000 },
  lines,
  ...more,
})
const ask = (document: unknown) => quote(readQuoteRequest(document))
const pays = (document: unknown) => ask(document).lines[0]?.payments.map(({ due, pay }) => [due, pay])

describe('payments of each kind of terms', () => {
  it('free, and a name-your-price of 0, have none', () => {
    expect(pays(basket([line({ kind: 'free' })]))).toEqual([])
    expect(pays(basket([{ ...line({ kind: 'openPrice', minimum: 0, suggested: 1200 }), chosen: 0 }]))).toEqual([])
  })

  it('name your price takes the chosen, or the suggested', () => {
    const terms = { kind: 'openPrice', minimum: 400, suggested: 1200 }
    expect(pays(basket([line(terms)]))).toEqual([['2027-01-31', 1200]])
    expect(pays(basket([{ ...line(terms), chosen: 400 }]))).toEqual([['2027-01-31', 400]])
  })

  it('a total is split with the odd units first', () => {
    expect(pays(basket([line({ kind: 'installments', count: 3, every: month, total: 10_000 })]))).toEqual([
      ['2027-01-31', 3334],
      ['2027-02-28', 3333],
      ['2027-03-31', 3333],
    ])
  })

  it('after a deposit the installments begin one span later', () => {
    const quoted = ask(basket([line({ kind: 'installments', count: 2, every: month, amount: 9000, deposit: 80_000 })]))
    expect(quoted.lines[0]?.payments.map(({ n, kind, due, pay }) => [n, kind, due, pay])).toEqual([
      [1, 'deposit', '2027-01-31', 80_000],
      [2, 'regular', '2027-02-28', 9000],
      [3, 'regular', '2027-03-31', 9000],
    ])
    expect(quoted.committed).toBe(98_000)
  })

  it('a subscription has its set-up fee and paid trial first, and runs to the horizon', () => {
    const terms = {
      kind: 'subscription',
      amount: 3600,
      every: { count: 1, unit: 'year' },
      setupFee: 24_000,
      trial: { length: { count: 14, unit: 'day' }, amount: 100 },
    }
    const quoted = ask(basket([line(terms)], { horizon: 2 }))
    expect(quoted.lines[0]?.payments.map(({ n, kind, due, pay }) => [n, kind, due, pay])).toEqual([
      [0, 'setup', '2027-01-31', 24_000],
      [0, 'trial', '2027-01-31', 100],
      [1, 'regular', '2027-02-14', 3600],
      [2, 'regular', '2028-02-14', 3600],
    ])
    expect(quoted).toMatchObject({
      committed: null,
      today: { pay: 24_100 },
      later: [
        { due: '2027-02-14', pay: 3600 },
        { due: '2028-02-14', pay: 3600 },
      ],
    })
  })
})

describe('sale prices', () => {
  const sale = (more: object) => ({ sale: { amount: 5000, scope: 'every', ...more } })
  it('are in force from their first instant to before their last', () => {
    const at = '2027-01-31T08:30:00Z'
    expect(pays(basket([line(single(9000), sale({ from: at }))]))).toEqual([['2027-01-31', 5000]])
    expect(pays(basket([line(single(9000), sale({ until: at }))]))).toEqual([['2027-01-31', 9000]])
    expect(pays(basket([line(single(9000), sale({ from: '2027-01-31T08:30:00.001Z' }))]))).toEqual([
      ['2027-01-31', 9000],
    ])
  })

  it('scope first lowers the first regular payment, after a deposit the second', () => {
    const terms = { kind: 'installments', count: 2, every: month, amount: 9000, deposit: 1000 }
    expect(pays(basket([line(terms, sale({ scope: 'first' }))]))?.map(([, pay]) => pay)).toEqual([1000, 5000, 9000])
  })

  it('of a total are split of their own', () => {
    const quoted = ask(basket([line({ kind: 'installments', count: 3, every: month, total: 10_000 }, sale({}))]))
    expect(quoted.lines[0]?.payments.map(({ list, price }) => [list, price])).toEqual([
      [3334, 1667],
      [3333, 1667],
      [3333, 1666],
    ])
  })
})

describe('codes', () => {
  const percent = (code: string, more: object = {}) => ({ code, kind: 'percent', rate: 1000, ...more })
  const whys = (coupons: object[], codes: string[], lines = [line(single(10_000))], more: object = {}) =>
    ask(basket(lines, { coupons, codes, ...more })).codes.map((code) => (code.counts ? code.saves : code.why))

  it.each([
    ['unknown', [percent('A')], ['B']],
    ['wrong-currency', [{ code: 'A', kind: 'fixed', amount: 100, currency: 'USD' }], ['A']],
    ['not-yet', [percent('A', { startsAt: '2027-02-01T00:00:00Z' })], ['A']],
    ['expired', [percent('A', { endsAt: '2027-01-31T08:30:00Z' })], ['A']],
    ['used-up', [percent('A', { limit: 3, used: 3 })], ['A']],
    ['used-by-buyer', [percent('A', { limitPerBuyer: 1, usedByBuyer: 1 })], ['A']],
    ['nothing-eligible', [percent('A', { roles: ['bump'] })], ['A']],
    ['nothing-eligible', [percent('A', { offers: ['other'] })], ['A']],
    ['below-minimum', [percent('A', { minimum: 10_001 })], ['A']],
  ])('%s', (why, coupons, codes) => {
    expect(whys(coupons, codes)).toEqual([why])
  })

  it('count at exactly the minimum', () => {
    expect(whys([percent('A', { minimum: 10_000 })], ['A'])).toEqual([1000])
  })

  it('say already-entered, does-not-combine and first-purchase-only', () => {
    expect(whys([percent('A'), percent('B')], [' a ', 'A', 'b'])).toEqual([1000, 'already-entered', 'does-not-combine'])
    expect(whys([percent('A', { firstPurchaseOnly: true })], ['A'], undefined, { buyer: { purchases: 1 } })).toEqual([
      'first-purchase-only',
    ])
  })

  it('work one after the other on what is left', () => {
    const coupons = [
      percent('A', { combines: true }),
      { code: 'B', kind: 'fixed', amount: 20_000, currency: 'EUR', combines: true },
      percent('C', { combines: true }),
    ]
    expect(whys(coupons, ['A', 'B', 'C'])).toEqual([1000, 9000, 'nothing-eligible'])
  })

  it('have their minimum counted before any of them', () => {
    const half = { code: 'A', kind: 'percent', rate: 5000, combines: true }
    expect(whys([half, percent('B', { combines: true, minimum: 10_000 })], ['A', 'B'])).toEqual([5000, 500])
    expect(whys([half, percent('B', { combines: true, minimum: 10_001 })], ['A', 'B'])).toEqual([5000, 'below-minimum'])
  })

  it('a fixed amount is shared by what is left of the lines', () => {
    const lines = [line(single(10_000)), line(single(5000), {}, 'main', 'o2')]
    const quoted = ask(
      basket(lines, { coupons: [{ code: 'A', kind: 'fixed', amount: 100, currency: 'EUR' }], codes: ['A'] }),
    )
    expect(quoted.lines.map(({ payments }) => payments[0]?.discount)).toEqual([67, 33])
  })

  it('reach as many payments as the coupon says', () => {
    const plan = [line({ kind: 'installments', count: 3, every: month, amount: 1000 })]
    expect(whys([percent('A')], ['A'], plan)).toEqual([100])
    expect(whys([percent('A', { payments: 2 })], ['A'], plan)).toEqual([200])
    expect(whys([percent('A', { payments: null })], ['A'], plan)).toEqual([300])
  })
})

describe('tax and access', () => {
  it('is put on top, taken from inside, or left out', () => {
    const taxed = (tax: object) => ask(basket([line(single(12_900))], { tax })).today
    expect(taxed({ mode: 'exclusive', rate: 2000 })).toMatchObject({ tax: 2580, pay: 15_480 })
    expect(taxed({ mode: 'inclusive', rate: 2000 })).toMatchObject({ tax: 2150, pay: 12_900 })
    expect(taxed({ mode: 'none', rate: 2000 })).toMatchObject({ tax: 0, pay: 12_900 })
    expect(ask(basket([line(single(11_000), { taxRate: 1000 })])).today.tax).toBe(1000)
  })

  it('closes never, after a span, on a date, or with the last payment and its grace', () => {
    const closes = (access: object, terms: object = single(100)) =>
      ask(basket([line(terms, { access })])).lines[0]?.closes
    expect(closes({})).toBeNull()
    expect(closes({ lasts: { count: 1, unit: 'year' } })).toBe('2028-01-31')
    expect(closes({ from: '2027-02-28', lasts: month })).toBe('2027-03-28')
    expect(closes({ lasts: { until: '2027-06-01' } })).toBe('2027-06-01')
    const membership = { kind: 'subscription', amount: 1900, every: month }
    expect(closes({ lasts: 'whilePaying', graceDays: 3 }, membership)).toBe('2027-03-03')
    expect(
      closes({ lasts: 'whilePaying', graceDays: 3 }, { ...membership, trial: { length: { count: 7, unit: 'day' } } }),
    ).toBe('2027-02-10')
  })

  it('names the courses that two lines open', () => {
    const both = [
      line(single(100), { courses: [{ id: 'x' }, { id: 'y' }] }),
      line(single(100), { courses: [{ id: 'y' }, { id: 'z' }] }, 'bump', 'o2'),
    ]
    expect(ask(basket(both)).overlaps).toEqual(['y'])
  })
})

describe('bad input names the field at fault', () => {
  const bad: [string, unknown][] = [
    ['', 'not a document'],
    ['/lines/0/offer/terms/setupfee', basket([line({ kind: 'subscription', amount: 1, every: month, setupfee: 3 })])],
    ['/lines/0/offer/terms/amount', basket([line({ kind: 'single', amount: 0 })])],
    ['/lines/0/offer/terms/amount', basket([line({ kind: 'single', amount: 1.5 })])],
    ['/lines/0/offer/terms/trial', basket([line({ kind: 'single', amount: 1, trial: {} })])],
    ['/lines/0/offer/terms', basket([line({ kind: 'installments', count: 2, every: month })])],
    [
      '/lines/0/offer/terms/total',
      basket([line({ kind: 'installments', count: 2, every: month, amount: 1, total: 9 })]),
    ],
    ['/lines/0/offer/terms/total', basket([line({ kind: 'installments', count: 9, every: month, total: 8 })])],
    [
      '/lines/0/offer/terms/trial',
      basket([line({ kind: 'installments', count: 2, every: month, amount: 1, deposit: 1, trial: { length: month } })]),
    ],
    [
      '/lines/0/offer/terms/every/count',
      basket([line({ kind: 'subscription', amount: 1, every: { count: 61, unit: 'month' } })]),
    ],
    ['/lines/0/chosen', basket([{ ...line(single(100)), chosen: 100 }])],
    ['/lines/0/chosen', basket([{ ...line({ kind: 'openPrice', minimum: 5, suggested: 9 }), chosen: 4 }])],
    ['/lines/0/offer/sale/amount', basket([line(single(100), { sale: { amount: 100, scope: 'every' } })])],
    ['/lines/0/offer/sale/scope', basket([line(single(100), { sale: { amount: 50 } })])],
    ['/lines/0/offer/sale', basket([line({ kind: 'free' }, { sale: { amount: 50, scope: 'every' } })])],
    ['/lines/0/offer/access/lasts', basket([line(single(100), { access: { lasts: 'whilePaying' } })])],
    ['/lines/0/offer/access/lasts/until', basket([line(single(100), { access: { lasts: { until: '2027-01-31' } } })])],
    ['/lines/1/offer/id', basket([line(single(100)), line(single(100))])],
    ['/lines/0/offer/courses/1/id', basket([line(single(100), { courses: [{ id: 'a' }, { id: 'a' }] })])],
    ['/lines', basket([])],
    ['/at', basket([line(single(100))], { at: '2027-01-31T09:30:00' })],
    ['/timeZone', basket([line(single(100))], { timeZone: 'Vienna' })],
    ['/currency', basket([line(single(100))], { currency: 'EURO' })],
    [
      '/coupons/1/code',
      basket([line(single(100))], {
        coupons: [
          { code: 'a', kind: 'percent', rate: 1 },
          { code: 'A', kind: 'percent', rate: 1 },
        ],
      }),
    ],
    ['/coupons/0/currency', basket([line(single(100))], { coupons: [{ code: 'a', kind: 'fixed', amount: 1 }] })],
    ['/coupons/0/rate', basket([line(single(100))], { coupons: [{ code: 'a', kind: 'percent', rate: 10_001 }] })],
    ['/codes/0', basket([line(single(100))], { codes: [5] })],
    ['/a~1b~0c', { ...basket([line(single(100))]), 'a/b~c': 1 }],
  ]
  it.each(bad)('%s', (at, document) => {
    expect(answerText(JSON.stringify(document), ask)).toMatchObject({ error: { at } })
  })

  it('text that is not JSON has an empty pointer', () => {
    expect(answerText('{', ask)).toEqual({ error: { at: '', why: expect.any(String) } })
  })
})

describe('properties', () => {
  const terms = fc.oneof(
    fc.record({ kind: fc.constant('single'), amount: fc.integer({ min: 1, max: 100_000 }) }),
    fc.record({
      kind: fc.constant('installments'),
      count: fc.integer({ min: 2, max: 24 }),
      every: fc.constant(month),
      total: fc.integer({ min: 24, max: 1_000_000 }),
    }),
    fc.record({
      kind: fc.constant('subscription'),
      amount: fc.integer({ min: 1, max: 100_000 }),
      every: fc.constant(month),
      payments: fc.option(fc.integer({ min: 1, max: 30 })),
    }),
  )
  const coupon = fc.oneof(
    fc.record({
      kind: fc.constant('percent'),
      rate: fc.integer({ min: 1, max: 10_000 }),
      payments: fc.option(fc.integer({ min: 1, max: 40 })),
    }),
    fc.record({
      kind: fc.constant('fixed'),
      amount: fc.integer({ min: 1, max: 200_000 }),
      currency: fc.constant('EUR'),
      payments: fc.option(fc.integer({ min: 1, max: 40 })),
    }),
  )
  const baskets = fc
    .tuple(fc.array(terms, { minLength: 1, maxLength: 5 }), fc.array(coupon, { maxLength: 3 }))
    .map(([all, coupons]) =>
      basket(
        all.map((one, index) => line(one, {}, 'main', `o${index}`)),
        {
          coupons: coupons.map((one, index) => ({ ...one, code: `C${index}`, combines: true })),
          codes: coupons.map((_, index) => `c${index}`),
        },
      ),
    )

  it('hold for every basket: sums add up, no discount exceeds its base, days go forward, asking twice is the same', () => {
    fc.assert(
      fc.property(baskets, (document) => {
        const quoted = ask(document)
        const all = quoted.lines.flatMap(({ payments }) => payments)
        const sum = (amounts: number[]) => amounts.reduce((total, amount) => total + amount, 0)
        expect(quoted.today.pay + sum(quoted.later.map(({ pay }) => pay))).toBe(sum(all.map(({ pay }) => pay)))
        expect(sum(quoted.codes.map((code) => (code.counts ? code.saves : 0)))).toBe(
          sum(all.map(({ discount }) => discount)),
        )
        for (const { discount, price, tax, pay } of all) {
          expect(discount).toBeGreaterThanOrEqual(0)
          expect(discount).toBeLessThanOrEqual(price)
          expect(tax).toBeLessThanOrEqual(pay)
        }
        for (const { payments, shares } of quoted.lines) {
          expect(payments.map(({ due }) => due)).toEqual(payments.map(({ due }) => due).sort())
          const first = payments.find(({ n }) => n > 0)
          expect(sum(shares.map(({ amount }) => amount))).toBe(first ? first.price - first.discount : 0)
        }
        expect(ask(document)).toEqual(quoted)
      }),
    )
  })
})

it('names the codes that reach a payment: those that counted, by their number, for this line', () => {
  const every = { kind: 'subscription', amount: 1900, every: month }
  const request = readQuoteRequest(
    basket([line(every), line(single(5000), {}, 'bump', 'o2')], {
      horizon: 4,
      coupons: [
        { code: 'TWICE', kind: 'percent', rate: 1000, payments: 2, roles: ['main'], combines: true },
        { code: 'ALWAYS', kind: 'percent', rate: 1000, payments: null, offers: ['o1'], combines: true },
        { code: 'OVER', kind: 'percent', rate: 1000, payments: null, endsAt: '2020-01-01T00:00:00Z', combines: true },
      ],
      codes: ['twice', 'ALWAYS', 'OVER'],
    }),
  )
  const quoted = quote(request)
  const on = (index: number, n: number) => codesOn(request, quoted, index, n)
  expect([on(0, 1), on(0, 2), on(0, 3)]).toEqual([['TWICE', 'ALWAYS'], ['TWICE', 'ALWAYS'], ['ALWAYS']])
  expect(on(1, 1)).toEqual([])
  expect(on(2, 1)).toEqual([])
})
