import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { type Published, runningSale } from './earlierPrice.ts'
import { type DraftSale, type DraftTerms, newOffer } from './offer.ts'
import { shownSale } from './shownSale.ts'

const DAY = 86_400_000
const NOW = Date.parse('2027-01-31T10:00:00Z')
const ago = (days: number) => new Date(NOW - days * DAY).toISOString()
const at = ago(0)
const single = (amount: number): DraftTerms => ({ kind: 'single', amount })
const sale = (amount: number, more: Partial<DraftSale> = {}): DraftSale => ({
  amount,
  from: null,
  until: null,
  scope: 'every',
  ...more,
})
const published = (days: number, terms: DraftTerms, on: DraftSale | null = null): Published => ({
  content: { ...newOffer('o'), terms, sale: on },
  publishedAt: ago(days),
})

it('a sale runs from its first moment to before its last', () => {
  const running = (from: string | null, until: string | null) =>
    runningSale([published(200, single(12_900)), published(40, single(12_900), sale(9900, { from, until }))], at) !==
    null
  expect(running(at, null)).toBe(true)
  expect(running(ago(-1), null)).toBe(false)
  expect(running(ago(3), at)).toBe(false)
  expect(running(ago(3), ago(-1))).toBe(true)
})

describe('the earlier price (Directive 98/6/EC, Art. 6a)', () => {
  it('is the price before, where that was the same for 30 days', () => {
    const history = [published(200, single(12_900)), published(3, single(12_900), sale(9900))]
    expect(runningSale(history, at)).toMatchObject({ amount: 9900, earlier: 12_900, list: 12_900, began: ago(3) })
  })

  it('is the lowest of the 30 days, not the one just before', () => {
    const history = [
      published(200, single(12_900)),
      published(20, single(11_000)),
      published(10, single(14_900)),
      published(3, single(14_900), sale(9900)),
    ]
    expect(runningSale(history, at)?.earlier).toBe(11_000)
  })

  it('counts a price that ended inside the 30 days, and none that ended before', () => {
    const until = (days: number) => [
      published(200, single(8000)),
      published(days, single(14_900)),
      published(3, single(14_900), sale(7900)),
    ]
    expect(runningSale(until(32), at)?.earlier).toBe(8000)
    expect(runningSale(until(34), at)?.earlier).toBe(14_900)
  })

  it('counts an earlier sale of those days', () => {
    const history = [
      published(200, single(12_900), sale(8900, { from: ago(20), until: ago(15) })),
      published(3, single(12_900), sale(8800)),
    ]
    expect(runningSale(history, at)?.earlier).toBe(8900)
  })

  it('shows none where nothing higher was asked before', () => {
    expect(runningSale([published(3, single(12_900), sale(9900))], at)).toMatchObject({ earlier: null, list: 12_900 })
    const cheaper = [published(40, single(9000)), published(3, single(12_900), sale(9900))]
    expect(runningSale(cheaper, at)?.earlier).toBe(null)
  })

  it('begins with the sale, not with a later edit of something else', () => {
    const on = sale(9900)
    const history = [
      published(200, single(12_900)),
      published(40, single(12_900), on),
      published(1, { ...single(12_900) }, on),
    ]
    expect(runningSale(history, at)).toMatchObject({ began: ago(40), earlier: 12_900 })
  })

  it('takes a further reduction as one of its own', () => {
    const history = [
      published(200, single(12_900)),
      published(20, single(12_900), sale(9900)),
      published(2, single(12_900), sale(7900)),
    ]
    expect(runningSale(history, at)?.earlier).toBe(9900)
  })

  it('begins at the moment written, and is none before and after', () => {
    const history = [published(200, single(12_900), sale(9900, { from: ago(5), until: ago(-5) }))]
    expect(runningSale(history, at)).toMatchObject({ began: ago(5), until: ago(-5), earlier: 12_900 })
    expect(runningSale(history, ago(6))).toBe(null)
    expect(runningSale(history, ago(-5))).toBe(null)
    expect(runningSale(history, ago(300))).toBe(null)
  })

  it('does not compare what is not alike', () => {
    const monthly: DraftTerms = {
      kind: 'subscription',
      amount: 1900,
      every: { count: 1, unit: 'month' },
      payments: null,
      setupFee: null,
      trial: null,
    }
    const yearly: DraftTerms = { ...monthly, amount: 19_000, every: { count: 1, unit: 'year' } }
    expect(runningSale([published(90, monthly), published(3, yearly, sale(15_000))], at)?.earlier).toBe(null)
    expect(runningSale([published(90, monthly), published(3, monthly, sale(900))], at)?.earlier).toBe(1900)
    // A lower first payment is no lower price of every payment.
    const first = published(10, monthly, sale(900, { scope: 'first' }))
    expect(runningSale([published(90, monthly), first, published(3, monthly, sale(1500))], at)?.earlier).toBe(1900)
  })

  it('is never below the sale price, and always a price that was published', () => {
    const step = fc.record({
      days: fc.integer({ min: 0, max: 90 }),
      amount: fc.integer({ min: 2, max: 50 }),
      off: fc.option(fc.integer({ min: 1, max: 49 })),
    })
    fc.assert(
      fc.property(fc.array(step, { minLength: 1, maxLength: 8 }), (steps) => {
        const history = steps
          .sort((a, b) => b.days - a.days)
          .map(({ days, amount, off }) => published(days, single(amount), off === null ? null : sale(off)))
        const running = runningSale(history, at)
        if (!running || running.earlier === null) return
        expect(running.earlier).toBeGreaterThan(running.amount)
        const asked = steps.flatMap(({ amount, off }) => (off === null ? [amount] : [amount, off]))
        expect(asked).toContain(running.earlier)
      }),
    )
  })
})

describe('a sale as buyers see it', () => {
  const school = {
    currency: 'EUR',
    language: 'en',
    timeZone: 'Europe/Vienna',
    taxMode: 'exclusive',
    taxRate: 2000,
  } as const

  it('says until when by the school’s clock, with tax on top', () => {
    const history = [
      published(200, single(10_000)),
      published(3, single(10_000), sale(8000, { until: '2027-02-07T23:00:00Z' })),
    ]
    expect(shownSale(history, school, at)).toEqual({
      now: 9600,
      earlier: 12_000,
      of: '',
      says: 'Sale price until the end of 7 February 2027 (Vienna). Lowest price of the 30 days before it: €120.00.',
    })
  })

  it('names what it is of, and what comes after where nothing may be struck', () => {
    const parts: DraftTerms = {
      kind: 'installments',
      count: 3,
      every: { count: 1, unit: 'month' },
      amount: 4300,
      total: null,
      deposit: null,
      trial: null,
    }
    const until = '2027-02-07T16:30:00Z'
    expect(shownSale([published(3, parts, sale(4000, { until, scope: 'first' }))], school, at)).toEqual({
      now: 4800,
      earlier: null,
      of: 'first payment',
      says: 'Sale price until 7 February 2027, 17:30 (Vienna); then €51.60.',
    })
    expect(shownSale([published(3, parts, sale(4000))], school, at)?.of).toBe('each')
    expect(shownSale([published(3, parts)], school, at)).toBe(null)
  })
})
