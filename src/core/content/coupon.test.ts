import fc from 'fast-check'
import * as v from 'valibot'
import { describe, expect, it } from 'vitest'
import { CODE_ALPHABET, codeOf } from './codePattern.ts'
import { type CouponContent, couponContentSchema, couponProblems, MIN_LENGTH, newCoupon } from './coupon.ts'
import { effectOf } from './couponEffect.ts'
import { formatCoupon } from './couponSentence.ts'
import { newOffer, type OfferContent } from './offer.ts'
import { rescaleCoupon } from './rescale.ts'

const SCHOOL = {
  currency: 'EUR',
  language: 'en',
  timeZone: 'Europe/Vienna',
  taxMode: 'inclusive',
  taxRate: 2000,
} as const
const AT = '2027-03-01T09:00:00Z'
const CARD = {
  name: 'Card',
  currencies: 'any' as const,
  smallest: { EUR: 100 },
  largest: 1_000_000,
  chargesAgain: true,
  againUpTo: null,
  keepsUnused: true,
  fee: { rate: 150, fixed: { EUR: 25 } },
}
const coupon = (more: Partial<CouponContent> = {}): CouponContent => ({ ...newCoupon(), code: 'LINEN10', ...more })
const offer = (terms: OfferContent['terms']) => ({ id: 'o1', productId: 'p1', content: { ...newOffer('One'), terms } })
const effect = (content: CouponContent, terms: OfferContent['terms']) =>
  effectOf(content, offer(terms), SCHOOL, [CARD], AT)

it('a day on which a coupon begins or ends exists', () => {
  const read = (more: Partial<CouponContent>) => v.safeParse(couponContentSchema, coupon(more))
  expect(read({ from: '2027-02-28T23:00:00Z' }).success).toBe(true)
  expect(read({ from: '2027-02-30T23:00:00Z' }).issues?.[0].message).toBe('This moment does not exist.')
})

describe('a coupon in one sentence', () => {
  const said = (more: Partial<CouponContent>) => formatCoupon(coupon(more), SCHOOL, () => ['Paper marbling', 'Boxes'])
  it.each([
    [{}, '10% off the first payment of every offer, once per buyer.'],
    [
      {
        from: '2027-02-28T23:00:00Z',
        until: '2027-03-31T22:00:00Z',
        limit: 200,
      },
      '10% off the first payment of every offer, from 1 March 2027 to the end of 31 March 2027, once per buyer, 200 times in all.',
    ],
    [
      { kind: 'fixed', amount: 1500, payments: null, limitPerBuyer: null, minimum: 5000, firstPurchaseOnly: true },
      '€15.00 off every payment of every offer, for orders of at least €50.00, for a first purchase.',
    ],
    [
      { payments: 3, appliesTo: { products: ['a'], offers: ['b'] }, combines: true, skipsSale: true, bumps: true },
      '10% off the first 3 payments of Paper marbling or Boxes, order bumps too, not beside a sale price, once per buyer, beside other codes.',
    ],
    [
      { until: '2027-03-05T17:00:00Z' },
      '10% off the first payment of every offer, until 5 March 2027, 18:00, once per buyer.',
    ],
  ] as [Partial<CouponContent>, string][])('%j', (more, sentence) => {
    expect(said(more)).toBe(sentence)
  })
})

describe('what stops it from being published', () => {
  const at = (more: Partial<CouponContent>, taken: string[] = []) =>
    couponProblems(coupon(more), AT, taken).map((problem) => problem.at)
  it('is said at each field, in their order', () => {
    expect(at({})).toEqual([])
    expect(at({ code: '' })).toEqual(['/code'])
    expect(at({ code: 'zehn %' })).toEqual(['/code'])
    expect(at({ code: 'linen10' }, ['LINEN10'])).toEqual(['/code'])
    expect(at({ rate: null })).toEqual(['/rate'])
    expect(at({ kind: 'fixed' })).toEqual(['/amount'])
    expect(at({ appliesTo: { products: [], offers: [] } })).toEqual(['/appliesTo'])
    expect(at({ from: '2027-03-05T00:00:00Z', until: '2027-03-05T00:00:00Z' })).toEqual(['/until'])
    expect(at({ until: AT })).toEqual(['/until'])
    expect(at({ until: '2027-03-01T09:00:01Z' })).toEqual([])
  })
})

describe('what it does to an offer', () => {
  it('is said today, later, in all, and what is kept after tax and fees', () => {
    const one = effect(coupon(), { kind: 'single', amount: 12_900 })
    expect([one?.without.today.pay, one?.with.today.pay, one?.why]).toEqual([12_900, 11_610, null])
    expect(one?.keeps).toBe(11_610 - 1935 - (174 + 25))
    const parts = {
      kind: 'installments',
      count: 3,
      every: { count: 1, unit: 'month' },
      amount: 4300,
      total: null,
      deposit: null,
      trial: null,
    } as const
    expect(effect(coupon({ payments: null }), parts)?.with.committed).toBe(3 * 3870)
  })

  it('is looked at as while it is valid, also before it begins and with a word that is not chosen yet', () => {
    const ahead = coupon({ code: '', from: '2030-01-01T00:00:00Z' })
    expect(effect(ahead, { kind: 'single', amount: 1000 })?.with.today.pay).toBe(900)
    const set = coupon({ isSet: true, code: 'Book fair, 50 codes' })
    expect(effect(set, { kind: 'single', amount: 1000 })?.with.today.pay).toBe(900)
  })

  it('that no payment method takes any more is told from one that costs nothing', () => {
    expect(effect(coupon({ rate: 9500 }), { kind: 'single', amount: 1000 })).toMatchObject({
      isUncollectable: true,
      keeps: null,
    })
    expect(effect(coupon({ rate: 10_000 }), { kind: 'single', amount: 1000 })).toMatchObject({
      isUncollectable: false,
      keeps: 0,
    })
  })

  it('says why it does not count, and nothing where a figure is missing', () => {
    expect(
      effect(coupon({ appliesTo: { products: ['other'], offers: [] } }), { kind: 'single', amount: 1000 })?.why,
    ).toBe('nothing-eligible')
    expect(effect(coupon({ minimum: 1001 }), { kind: 'single', amount: 1000 })?.why).toBe('below-minimum')
    expect(effect(coupon({ rate: null }), { kind: 'single', amount: 1000 })).toBeNull()
    expect(effect(coupon(), { kind: 'single', amount: null })).toBeNull()
  })

  it('never costs more with it than without, nor less than nothing', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 500_000 }),
        fc.integer({ min: 1, max: 10_000 }),
        fc.integer({ min: 1, max: 600_000 }),
        fc.constantFrom('percent', 'fixed'),
        (price, rate, amount, kind) => {
          const found = effect(coupon({ kind, rate, amount }), { kind: 'single', amount: price })
          expect(found?.with.today.pay).toBeGreaterThanOrEqual(0)
          expect(found?.with.today.pay).toBeLessThanOrEqual(found?.without.today.pay ?? 0)
        },
      ),
    )
  })
})

it('keeps its figures in another currency', () => {
  const fixed = coupon({ kind: 'fixed', amount: 1500, minimum: 5000 })
  expect(rescaleCoupon(fixed, 'EUR', 'JPY')).toMatchObject({ amount: 15, minimum: 50 })
  expect(rescaleCoupon(fixed, 'EUR', 'CHF')).toEqual(fixed)
})

describe('a single-use code', () => {
  it('is made of symbols that nobody confuses, each as likely as any other, and is not guessable', () => {
    // Every byte once: of 256 each symbol is met eight times, and what is beyond the alphabet is not used.
    const bytes = (count: number) => Uint8Array.from({ length: count }, (_, index) => index % 256)
    const counts = new Map<string, number>()
    for (const byte of bytes(256)) {
      const symbol = CODE_ALPHABET[byte & 31]
      if (symbol) counts.set(symbol, (counts.get(symbol) ?? 0) + 1)
    }
    expect(new Set(counts.values())).toEqual(new Set([8]))
    expect(CODE_ALPHABET).not.toMatch(/[01ILOU]/)
    expect(MIN_LENGTH * Math.log2(CODE_ALPHABET.length)).toBeGreaterThan(40)
    expect(codeOf('fair-', 9, bytes)).toBe('FAIR-23456789A')
    expect(() => codeOf('', 8, bytes)).toThrow(RangeError)
  })

  it('of a set that has no name, or a prefix that cannot stand in a code, says so', () => {
    const set = (more: Partial<CouponContent>) =>
      couponProblems(coupon({ isSet: true, ...more }), AT).map(({ at }) => at)
    expect(set({ code: 'Book fair, 50 codes' })).toEqual([])
    expect(set({ code: '' })).toEqual(['/code'])
    expect(set({ prefix: 'ü ' })).toEqual(['/prefix'])
  })
})
