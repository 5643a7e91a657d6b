import fc from 'fast-check'
import { expect, it } from 'vitest'
import { split } from '../money/arithmetic.ts'
import { quote } from '../quote/quote.ts'
import { readQuoteRequest } from '../quote/read.ts'
import { currentPhase, firstPhase, lowerPhase, paymentsOf, withoutShares } from './phase.ts'

const span = fc.record({
  count: fc.integer({ min: 1, max: 5 }),
  unit: fc.constantFrom('day', 'week', 'month', 'year'),
})
const reach = fc.option(fc.integer({ min: 1, max: 9 }))
const coupon = (code: string) =>
  fc
    .oneof(
      fc.record({ kind: fc.constant('percent'), rate: fc.integer({ min: 1, max: 10_000 }), payments: reach }),
      fc
        .record({ kind: fc.constant('fixed'), amount: fc.integer({ min: 1, max: 5000 }), payments: reach })
        .map((fixed) => ({
          ...fixed,
          currency: 'EUR',
        })),
    )
    .map((of) => ({ code, combines: true, ...of }))

const asked = fc.record({
  at: fc.constantFrom('2027-01-31T09:00:00Z', '2028-02-29T09:00:00Z', '2027-06-15T09:00:00Z'),
  tax: fc.record({ mode: fc.constantFrom('none', 'inclusive', 'exclusive'), rate: fc.integer({ min: 0, max: 2500 }) }),
  terms: fc.record({
    kind: fc.constant('subscription'),
    amount: fc.integer({ min: 2, max: 9000 }),
    every: span,
    payments: fc.option(fc.integer({ min: 1, max: 20 })),
    setupFee: fc.constantFrom(0, 500),
    trial: fc.option(fc.record({ length: span, amount: fc.constantFrom(0, 100) })),
  }),
  sale: fc.option(
    fc.record({ share: fc.double({ min: 0, max: 0.99, noNaN: true }), scope: fc.constantFrom('every', 'first') }),
  ),
  taxRate: fc.option(fc.integer({ min: 0, max: 2500 })),
  coupons: fc.tuple(coupon('ONE'), coupon('TWO')),
  codes: fc.subarray(['ONE', 'TWO']),
})

it('charges by the phase what the quote would say, however far ahead', () => {
  fc.assert(
    fc.property(asked, ({ at, tax, terms, sale, taxRate, coupons, codes }) => {
      const lowered = sale && { amount: Math.max(1, Math.floor(terms.amount * sale.share)), scope: sale.scope }
      const offer = { id: 'o', courses: [{ id: 'c' }], terms, sale: lowered, taxRate, access: {} }
      const request = readQuoteRequest({
        currency: 'EUR',
        timeZone: 'UTC',
        at,
        tax,
        horizon: 30,
        lines: [{ role: 'main', offer }],
        coupons,
        codes,
      })
      const { lines, purchaseDay } = quote(request)
      const regular = lines[0]?.payments.filter(({ kind }) => kind === 'regular') ?? []
      // What was stored is read again.
      const phase = JSON.parse(JSON.stringify(firstPhase({ ...request, horizon: 3 }, 0, purchaseDay)))
      expect(paymentsOf(phase, 1, regular.length)).toEqual(regular)
      expect(paymentsOf(phase, 4, 3)).toEqual([])
    }),
  )
})

it('knows no payments of what is no subscription, none before it begins, and no agreement without a phase', () => {
  const request = (terms: object) =>
    readQuoteRequest({
      currency: 'EUR',
      timeZone: 'UTC',
      at: '2027-01-31T09:00:00Z',
      lines: [{ role: 'main', offer: { id: 'o', courses: [{ id: 'c' }], terms, access: {} } }],
    })
  const every = { count: 1, unit: 'month' }
  const plan = firstPhase(request({ kind: 'installments', count: 3, every, total: 12_900 }), 0, '2027-02-02')
  expect(plan.prices).toEqual([{ from: 1, list: 4300, price: 4300, discount: 0 }])
  expect(plan.placedOn).toBe('2027-02-02')
  expect(() => paymentsOf(plan, 1, 1)).toThrow('no regular payment 1')
  const monthly = firstPhase(request({ kind: 'subscription', amount: 1900, every }), 0, '2027-01-31')
  const later = {
    ...monthly,
    from: 5,
    anchor: '2027-08-10',
    prices: [{ from: 5, list: 1900, price: 900, discount: 0 }],
  }
  expect(paymentsOf(later, 6, 7).map(({ due, pay }) => [due, pay])).toEqual([
    ['2027-09-10', 900],
    ['2027-10-10', 900],
  ])
  expect(() => paymentsOf(later, 4, 4)).toThrow('no regular payment 4')
  expect(currentPhase({ version: 1, phases: [monthly, later] })).toBe(later)
  expect(() => currentPhase({ version: 1, phases: [] })).toThrow('no phase')
})

it('lowered by a course’s share, what is listed and what is generated later are the same, and add up with what left', () => {
  const weights = fc.array(fc.integer({ min: 0, max: 9000 }), { minLength: 2, maxLength: 4 })
  fc.assert(
    fc.property(asked, weights, fc.integer({ min: 2, max: 12 }), ({ at, tax, terms, coupons, codes }, of, from) => {
      const courses = of.map((weight, index) => ({ id: `c${index}`, weight }))
      const offer = { id: 'o', courses, terms: { ...terms, payments: null }, access: {} }
      const request = readQuoteRequest({
        ...{ currency: 'EUR', timeZone: 'UTC', at, tax, horizon: 30, coupons, codes },
        lines: [{ role: 'main', offer }],
      })
      const phase = firstPhase(request, 0, '2027-02-01')
      const lowered = lowerPhase(phase, from, ['c1'])
      const before = paymentsOf(phase, 1, 25)
      const after = paymentsOf(lowered, 1, 25)
      expect(after.slice(0, from - 1)).toEqual(before.slice(0, from - 1))
      for (const [index, payment] of after.entries()) {
        const was = before[index] as (typeof before)[number]
        if (payment.n < from) continue
        expect(payment).toEqual(withoutShares(was, phase.tax, of, [1]))
        expect(was.pay - payment.pay).toBe(split(was.pay, of)[1])
        expect(was.tax - payment.tax).toBe(split(was.tax, of)[1])
        expect(payment.due).toBe(was.due)
        expect(payment.price - payment.discount).toBe(payment.pay - (tax.mode === 'exclusive' ? payment.tax : 0))
      }
      expect(lowered.courses.map(({ weight }) => weight)).toEqual(of.map((weight, index) => (index === 1 ? 0 : weight)))
    }),
  )
})
