import { expect, it } from 'vitest'
import { type CouponContent, newCoupon } from '../../core/content/coupon.ts'
import { newOffer, type OfferContent } from '../../core/content/offer.ts'
import { columnsOf } from './compared.ts'
import type { ShelfProduct } from './queries.ts'

const school = {
  currency: 'EUR',
  language: 'en',
  timeZone: 'Europe/Vienna',
  taxMode: 'inclusive' as const,
  taxRate: 2000,
}
const single = (id: string, amount: number | null) => ({
  id,
  name: 'One payment',
  content: {
    ...newOffer('One payment'),
    terms: amount === null ? { kind: 'free' } : { kind: 'single', amount },
  } as OfferContent,
  isLive: true,
  isChanged: false,
  onSale: true,
  isRetired: false,
})
const product = (
  id: string,
  kind: 'course' | 'bundle',
  offers: ReturnType<typeof single>[],
  courseIds: string[] = [],
) =>
  ({
    ...{ id, kind, slug: id, title: id, coverColor: 'plum', colors: ['plum'], courseIds },
    ...{ isLive: true, isChanged: false, isRetired: false, offers },
  }) as unknown as ShelfProduct
const shelf = [
  product('sewing', 'course', [single('sewing-once', 12_900)]),
  product('paper', 'course', [single('paper-once', 2400)]),
  product('letters', 'course', [single('letters-free', null)]),
  product('unsold', 'course', []),
  product('shelf', 'bundle', [single('shelf-once', 13_900)], ['sewing', 'paper', 'letters']),
  product('torso', 'bundle', [single('torso-once', 13_900)], ['sewing', 'unsold']),
]
const at = '2027-01-31T10:00:00Z'
const columns = (ids: string[], coupon: Partial<CouponContent> | null = null) =>
  columnsOf(
    shelf,
    ids,
    school,
    null,
    at,
    coupon && { code: 'TENTH', content: { ...newCoupon(), rate: 1000, ...coupon } },
  )

it('sets a bundle against its courses one by one, where each has a price or is free', () => {
  const found = columns(['sewing-once', 'shelf-once', 'torso-once'])
  expect(found.map(({ oneByOne }) => oneByOne)).toEqual([null, 15_300, null])
})

it('shows each with a code and without, and of which the code does not count', () => {
  const found = columns(['shelf-once', 'paper-once'], { appliesTo: { products: ['shelf'], offers: [] } })
  expect(found.map(({ sums, without }) => [sums.all, without?.all ?? null])).toEqual([
    [12_510, 13_900],
    [2400, null],
  ])
  expect(columns(['shelf-once']).map(({ sums, without }) => [sums.all, without])).toEqual([[13_900, null]])
})
