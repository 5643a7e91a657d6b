import { expect, it } from 'vitest'
import { newOffer, type OfferContent } from '../content/offer.ts'
import { describeOffer } from '../content/quoteInput.ts'
import { type OfferSituation, obstaclesOf } from './readiness.ts'

const money = { currency: 'EUR', language: 'en' }
const at = '2027-01-31T10:00:00Z'
const school = { ...money, timeZone: 'UTC', taxMode: 'none', taxRate: 0 } as const
const content: OfferContent = { ...newOffer('The whole course'), terms: { kind: 'single', amount: 12_900 } }
const card = {
  name: 'Thistle Card',
  currencies: ['EUR'],
  smallest: { EUR: 50 },
  largest: 1_000_000,
  chargesAgain: true,
  againUpTo: null,
  keepsUnused: true,
}
const every = { count: 1, unit: 'month' } as const
const monthly = { kind: 'subscription', amount: 1900, every, payments: null, setupFee: null, trial: null } as const
const parts = {
  kind: 'installments',
  count: 3,
  every,
  amount: null,
  total: 12_900,
  deposit: null,
  trial: null,
} as const
const ready: OfferSituation = {
  draft: content,
  live: content,
  onSale: true,
  mode: 'practice',
  paymentMethods: [card],
  known: [card],
  otherNames: [],
  oneTimeOffer: null,
  holdersOf: [],
  hasEarlierPrice: null,
  at,
  timeZone: 'Europe/Vienna',
  said: null,
  product: { kind: 'course', live: true, retired: false, holds: 3, days: [null], problems: [] },
}
const codes = (change: Partial<OfferSituation>) => {
  const draft = change.draft ?? ready.draft
  const said = describeOffer(school, { id: 'o', courses: [{ id: 'c' }], content: draft }, at)?.priced ?? null
  return obstaclesOf({ ...ready, said, live: draft, ...change }, money).map(({ code }) => code)
}

it.each<[string[], Partial<OfferSituation>]>([
  [[], {}],
  [['no-price', 'never-published'], { draft: { ...content, terms: { kind: 'single', amount: null } }, live: null }],
  [['no-name'], { draft: { ...content, name: ' ' } }],
  [['access-ended'], { draft: { ...content, access: { from: null, lasts: { until: '2020-01-01' }, graceDays: 0 } } }],
  [
    ['access-ended'],
    { draft: { ...content, access: { from: '2999-03-01', lasts: { until: '2999-02-01' }, graceDays: 0 } } },
  ],
  [
    ['live-ended', 'unpublished'],
    { live: { ...content, access: { from: null, lasts: { until: '2020-01-01' }, graceDays: 0 } }, draft: content },
  ],
  [['no-price'], { draft: { ...content, terms: { ...parts, deposit: 0 } } }],
  [['no-gateway'], { paymentMethods: [] }],
  [['no-currency'], { paymentMethods: [{ ...card, currencies: ['JPY'] }] }],
  [['too-small'], { draft: { ...content, terms: { kind: 'single', amount: 49 } } }],
  [[], { draft: { ...content, terms: { kind: 'free' } }, paymentMethods: [] }],
  [
    ['product-draft'],
    { product: { kind: 'course', live: false, retired: false, holds: 3, days: [null], problems: [] } },
  ],
  [
    ['product-retired'],
    { product: { kind: 'course', live: true, retired: true, holds: 3, days: [null], problems: [] } },
  ],
  [['off-sale'], { onSale: false }],
  [
    ['product-problem 0', 'product-problem 1'],
    {
      product: {
        ...{ kind: 'bundle', live: false, retired: false, holds: 2, days: [null] },
        problems: ['“Paper” has no one-time price.', '“Glue” is not published.'],
      },
    },
  ],
  [['name-of-other-price'], { draft: { ...content, name: 'Free' } }],
  [['unpublished'], { live: { ...content, name: 'Before' } }],
  [[], { live: { ...Object.fromEntries(Object.entries(content).reverse()), sale: undefined } as never }],
  [
    ['holds-nothing'],
    { product: { kind: 'course', live: true, retired: false, holds: 0, days: [null], problems: [] } },
  ],
  [['same-name'], { otherNames: ['The whole course '] }],
  [['unpublished'], { live: { ...content, name: 'Before' } }],
  [['no-later'], { draft: { ...content, terms: monthly }, paymentMethods: [{ ...card, chargesAgain: false }] }],
  [
    ['cannot-collect'],
    {
      draft: { ...content, terms: monthly },
      paymentMethods: [
        { ...card, againUpTo: { EUR: 1000 } },
        { ...card, chargesAgain: false },
      ],
    },
  ],
  [['cannot-collect'], { draft: { ...content, terms: { kind: 'single', amount: 1_000_001 } } }],
  [
    [],
    {
      draft: { ...content, terms: monthly },
      paymentMethods: [
        { ...card, chargesAgain: false },
        { ...card, againUpTo: { EUR: 1900 } },
      ],
    },
  ],
  [['no-grace'], { draft: { ...content, terms: monthly, access: { from: null, lasts: 'whilePaying', graceDays: 0 } } }],
  [
    ['closes-early'],
    { draft: { ...content, terms: parts, access: { from: null, lasts: { count: 1, unit: 'month' }, graceDays: 0 } } },
  ],
  // On the very day of the last payment is early too; the day after is not.
  [
    ['closes-early'],
    { draft: { ...content, terms: parts, access: { from: null, lasts: { until: '2027-03-31' }, graceDays: 0 } } },
  ],
  [[], { draft: { ...content, terms: parts, access: { from: null, lasts: { until: '2027-04-02' }, graceDays: 0 } } }],
  [['sale-not-lower'], { draft: { ...content, sale: { amount: 12_900, from: null, until: null, scope: 'every' } } }],
  [['sale-over'], { draft: { ...content, sale: { amount: 9900, from: null, until: at, scope: 'every' } } }],
  [
    ['sale-later'],
    { draft: { ...content, sale: { amount: 9900, from: '2027-02-01T00:00:00Z', until: null, scope: 'every' } } },
  ],
  [['below-at-once'], { draft: { ...content, terms: { ...parts, total: 12_000 } }, oneTimeOffer: 12_900 }],
  [['far-above-at-once'], { draft: { ...content, terms: { ...parts, total: 12_501 } }, oneTimeOffer: 10_000 }],
  [[], { draft: { ...content, terms: { ...parts, total: 12_500 } }, oneTimeOffer: 10_000 }],
  [['far-above-at-once'], { draft: { ...content, terms: { ...parts, total: 17_000 } }, oneTimeOffer: 12_900 }],
  [[], { draft: { ...content, terms: { ...parts, total: 13_500 } }, oneTimeOffer: 12_900 }],
  [['no-holders'], { draft: { ...content, audience: { who: 'holders', of: [] } } }],
  [
    ['holders-not-sold'],
    {
      draft: { ...content, audience: { who: 'holders', of: ['0b0f1c8e-5c1e-4a57-9f4e-0c8b6f0d9a11'] } },
      holdersOf: [{ title: 'Leather', isSold: false }],
    },
  ],
  [['no-earlier-price'], { hasEarlierPrice: false }],
  [['suggested-low'], { draft: { ...content, terms: { kind: 'openPrice', minimum: 500, suggested: 400 } } }],
])('%j', (expected, change) => {
  expect(codes(change)).toEqual(expected)
})

it('a sale that ends before it begins stops publishing, and is said once', () => {
  const sale = (from: string, until: string) => ({
    ...content,
    sale: { amount: 100, from, until, scope: 'every' as const },
  })
  const [early, late] = ['2026-01-01T00:00:00+01:00', '2026-02-01T00:00:00+01:00'] as const
  expect(codes({ draft: sale(late, early) })).toContain('sale-span')
  expect(codes({ draft: sale(late, early) })).not.toContain('sale-over')
  expect(codes({ draft: sale(late, late) })).toContain('sale-span')
  expect(codes({ draft: sale(early, late) })).not.toContain('sale-span')
})

it('access that ends before the first of its courses opens cannot be sold, and says why', () => {
  const draft: OfferContent = { ...content, access: { from: null, lasts: { until: '2027-03-01' }, graceDays: 0 } }
  const product = (...days: (string | null)[]) => ({ ...ready.product, days })
  expect(codes({ draft, product: product('2027-03-01') })).toContain('access-ended')
  expect(codes({ draft, product: product('2027-02-28') })).not.toContain('access-ended')
  expect(codes({ draft, product: product('2027-04-01', null) })).not.toContain('access-ended')
  const titleOf = (today: OfferContent, days: string | null) =>
    obstaclesOf({ ...ready, draft: today, live: null, product: product(days) }, money).find(
      ({ code }) => code === 'access-ended',
    )?.title
  expect(titleOf(draft, '2027-04-01')).toBe('Access would end on 1 March 2027, before it opens on 1 April 2027.')
  const ended = { ...draft, access: { ...draft.access, lasts: { until: '2020-01-01' } } }
  expect(titleOf(ended, null)).toBe('Access ended on 1 January 2020: nobody can buy it any more.')
  const live = { ...draft, access: { ...draft.access, graceDays: 1 } }
  const [first] = obstaclesOf({ ...ready, draft: content, live, product: product('2027-04-01') }, money)
  expect(first?.code).toBe('live-ended')
})

it('names what is not on sale any more, one or several', () => {
  const said = (...titles: string[]) =>
    obstaclesOf(
      {
        ...ready,
        draft: { ...content, audience: { who: 'holders', of: ['0b0f1c8e-5c1e-4a57-9f4e-0c8b6f0d9a11'] } },
        holdersOf: [...titles.map((title) => ({ title, isSold: false })), { title: 'Coptic', isSold: true }],
      },
      money,
    ).map(({ title, detail }) => `${title} ${detail}`.trim())
  expect(said('Leather')).toContain('Leather is not on sale, so nobody new can get it.')
  expect(said('Leather', 'Paper')).toContain('Leather and Paper are not on sale, so nobody new can get them.')
})

it('names the gateway that could, and what is in the way in money', () => {
  const wallet = { ...card, name: 'Brook Transfer', chargesAgain: false }
  const said = (change: Partial<OfferSituation>) => {
    const draft = change.draft ?? ready.draft
    const priced = describeOffer(school, { id: 'o', courses: [{ id: 'c' }], content: draft }, at)?.priced ?? null
    return obstaclesOf({ ...ready, said: priced, live: draft, ...change }, money).map(({ title, detail }) =>
      `${title} ${detail}`.trim(),
    )
  }
  expect(said({ draft: { ...content, terms: monthly }, paymentMethods: [wallet], known: [wallet, card] })[0]).toBe(
    'No gateway connected in Practice can collect later payments. Connected: Brook Transfer; Thistle Card can.',
  )
  const limited = { ...card, name: 'Moor Wallet', againUpTo: { EUR: 1000 } }
  expect(
    said({
      draft: { ...content, terms: monthly },
      paymentMethods: [limited, wallet],
      known: [wallet, card, limited],
    })[0],
  ).toBe(
    'No gateway connected in Practice can collect all of its payments. Moor Wallet charges later payments up to €10.00 only; Brook Transfer cannot charge again later; Thistle Card can.',
  )
  expect(said({ draft: { ...content, terms: { ...parts, total: 12_000 } }, oneTimeOffer: 12_900 })[0]).toBe(
    'In installments it costs €9.00 less than the one-time price, so paying at once costs more.',
  )
})

it('with nothing connected it names those that could take this price in this currency, and no others', () => {
  const euroOnly = { ...card, name: 'Euro only', currencies: ['EUR'] as const }
  const any = { ...card, name: 'Any', currencies: 'any' as const }
  const said =
    describeOffer({ ...school, currency: 'CHF' }, { id: 'o', courses: [{ id: 'c' }], content }, at)?.priced ?? null
  const found = obstaclesOf(
    { ...ready, said, paymentMethods: [], known: [euroOnly, any] },
    { ...money, currency: 'CHF' },
  )
  const [first] = found
  expect(`${first?.title} ${first?.detail}`).toContain('Connect a gateway; Any can take it.')
})
