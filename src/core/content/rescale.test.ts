import { expect, it } from 'vitest'
import { newBundle } from './bundle.ts'
import { newCoupon } from './coupon.ts'
import { type DraftTerms, newOffer } from './offer.ts'
import { rescaleBundle, rescaleContent, rescaleCoupon } from './rescale.ts'

const of = (terms: DraftTerms, sale: number | null = null) => ({
  ...newOffer('o'),
  terms,
  sale: sale === null ? null : { amount: sale, from: null, until: null, scope: 'every' as const },
})

it('keeps the figure and changes the sign', () => {
  expect(rescaleContent(of({ kind: 'single', amount: 12_900 }, 9950), 'EUR', 'JPY')).toMatchObject({
    terms: { amount: 129 },
    sale: { amount: 100 },
  })
  expect(rescaleContent(of({ kind: 'single', amount: 12_900 }), 'EUR', 'KWD')).toMatchObject({
    terms: { amount: 129_000 },
  })
  const same = of({ kind: 'single', amount: 12_900 })
  expect(rescaleContent(same, 'EUR', 'USD')).toBe(same)
})

it('reaches every amount of every kind, and makes no price nothing', () => {
  const every = { count: 1, unit: 'month' } as const
  const trial = { length: { count: 7, unit: 'day' } as const, amount: 40 }
  expect(
    rescaleContent(of({ kind: 'subscription', amount: 1900, every, payments: null, setupFee: 0, trial }), 'EUR', 'JPY')
      .terms,
  ).toMatchObject({ amount: 19, setupFee: 0, trial: { amount: 1 } })
  expect(
    rescaleContent(
      of({ kind: 'installments', count: 3, every, amount: null, total: 10_000, deposit: 5000, trial: null }),
      'EUR',
      'JPY',
    ).terms,
  ).toMatchObject({ amount: null, total: 100, deposit: 50 })
  expect(rescaleContent(of({ kind: 'openPrice', minimum: 400, suggested: 1200 }), 'EUR', 'KWD').terms).toMatchObject({
    minimum: 4000,
    suggested: 12_000,
  })
  expect(rescaleContent(of({ kind: 'free' }), 'EUR', 'JPY').terms).toEqual({ kind: 'free' })
})

it('reaches what a coupon takes off and what a bundle is made of, and leaves what is not written', () => {
  const courses = [
    { id: 'one', figure: 12_900 },
    { id: 'two', figure: null },
  ]
  expect(rescaleBundle({ ...newBundle('Both', 'plum'), courses }, 'EUR', 'JPY').courses).toEqual([
    { id: 'one', figure: 129 },
    { id: 'two', figure: null },
  ])
  const coupon = { ...newCoupon(), amount: 500, minimum: null }
  expect(rescaleCoupon(coupon, 'EUR', 'KWD')).toMatchObject({ amount: 5000, minimum: null })
  expect(rescaleCoupon({ ...coupon, amount: null, minimum: 2000 }, 'EUR', 'JPY')).toMatchObject({
    amount: null,
    minimum: 20,
  })
})
