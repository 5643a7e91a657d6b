import fc from 'fast-check'
import { expect, it } from 'vitest'
import { quote } from '../quote/quote.ts'
import { readQuoteRequest } from '../quote/read.ts'
import { type CollectingMethod, formatWhyNot, type ToCollect, toCollect, whyNot } from './collects.ts'

const card: CollectingMethod = {
  name: 'Card',
  currencies: ['EUR', 'USD'],
  smallest: { EUR: 50 },
  largest: 1_000_000,
  chargesAgain: true,
  againUpTo: null,
  keepsUnused: true,
}
const wallet: CollectingMethod = { ...card, name: 'Wallet', againUpTo: { EUR: 50_000 }, keepsUnused: false }
const bank: CollectingMethod = { ...card, name: 'Bank', currencies: ['EUR'], chargesAgain: false }
const need = (more: Partial<ToCollect>): ToCollect => ({
  currency: 'EUR',
  today: 12_900,
  later: [],
  hasLaterPayments: false,
  ...more,
})

it.each([
  ['a one-time price', card, need({}), null],
  ['another currency', bank, need({ currency: 'USD' }), 'currency'],
  ['later payments', bank, need({ later: [100], hasLaterPayments: true }), 'no-later'],
  ['later payments beyond the horizon', bank, need({ hasLaterPayments: true }), 'no-later'],
  ['a free trial by card', card, need({ today: 0, later: [1900], hasLaterPayments: true }), null],
  ['a free trial by wallet', wallet, need({ today: 0, later: [1900], hasLaterPayments: true }), 'needs-payment-now'],
  ['a small price', card, need({ today: 49 }), 'too-small'],
  ['a small later payment', card, need({ later: [49], hasLaterPayments: true }), 'too-small'],
  ['a price above the largest', card, need({ today: 1_000_001 }), 'too-large'],
  ['a later payment at the limit', wallet, need({ later: [50_000], hasLaterPayments: true }), null],
  ['a later payment above the limit', wallet, need({ later: [50_001], hasLaterPayments: true }), 'later-too-large'],
  [
    'the first payment above the later limit',
    wallet,
    need({ today: 60_000, later: [100], hasLaterPayments: true }),
    null,
  ],
  ['a later payment of nothing', card, need({ later: [0, 1900], hasLaterPayments: true }), null],
  ['nothing to pay', bank, need({ today: 0, currency: 'JPY' }), null],
])('%s', (_name, paymentMethod, asked, expected) => {
  expect(whyNot(paymentMethod, asked)).toBe(expected)
})

it('what a payment method can collect, one that can do more collects too', () => {
  fc.assert(
    fc.property(
      fc.record({
        currency: fc.constantFrom('EUR', 'USD', 'JPY'),
        today: fc.nat(2_000_000),
        later: fc.array(fc.nat(200_000), { maxLength: 6 }),
      }),
      (asked) => {
        const full = { ...asked, hasLaterPayments: asked.later.length > 0 }
        for (const paymentMethod of [wallet, bank])
          if (whyNot(paymentMethod, full) === null) expect(whyNot(card, full)).toBeNull()
      },
    ),
  )
})

it('says why in words', () => {
  const format = { currency: 'EUR', language: 'en' }
  expect(formatWhyNot('later-too-large', wallet, format)).toBe('charges later payments up to €500.00 only')
  expect(formatWhyNot('too-small', card, format)).toBe('takes nothing below €0.50')
})

it('later payments of two things on one day are asked for one by one, as they are charged', () => {
  const parts = (id: string, total: number) => ({
    role: 'main',
    offer: {
      id,
      courses: [{ id }],
      terms: { kind: 'installments', count: 2, every: { count: 1, unit: 'month' }, total },
    },
  })
  const asked = (...totals: number[]) =>
    toCollect(
      quote(
        readQuoteRequest({
          currency: 'EUR',
          timeZone: 'UTC',
          at: '2027-01-31T09:00:00Z',
          lines: totals.map((total, index) => parts(`o${index}`, total)),
        }),
      ),
      'EUR',
    )
  expect(asked(60_000, 80_000)).toEqual({
    currency: 'EUR',
    today: 70_000,
    later: [30_000, 40_000],
    hasLaterPayments: true,
  })
  expect(whyNot(wallet, asked(60_000, 80_000))).toBeNull()
  expect(whyNot(wallet, asked(60_000, 100_002))).toBe('later-too-large')
  // Each by itself must reach the least amount, too.
  expect(whyNot(card, asked(60_000, 98))).toBe('too-small')
})
