import { expect, it } from 'vitest'
import { compareOffer, keptOverTime } from './compare.ts'
import { type DraftTerms, newOffer } from './offer.ts'
import { describeOffer } from './quoteInput.ts'

const school = { currency: 'EUR', language: 'en', timeZone: 'UTC', taxMode: 'inclusive', taxRate: 2000 } as const
const fee = { rate: 150, fixed: { EUR: 25 } }
const month = { count: 1, unit: 'month' } as const
const compared = (terms: DraftTerms, atOnce: number | null = 12_900) => {
  const said = describeOffer(
    school,
    { id: 'o', courses: [{ id: 'c' }], content: { ...newOffer('o'), terms } },
    '2027-01-31T10:00:00Z',
  )
  if (!said) throw new Error('not quotable')
  return compareOffer(said.priced, fee, atOnce, '2029-01-31')
}
const parts: DraftTerms = {
  kind: 'installments',
  count: 3,
  every: month,
  amount: 4500,
  total: null,
  deposit: null,
  trial: null,
}
const monthly: DraftTerms = {
  kind: 'subscription',
  amount: 1900,
  every: month,
  payments: null,
  setupFee: null,
  trial: null,
}

it('one payment costs one fee, three cost three', () => {
  expect(compared({ kind: 'single', amount: 12_900 })).toMatchObject({
    all: 12_900,
    kept: 12_900 - 2150 - 219,
    asMuchAsAtOnce: '2027-01-31',
    firstYear: { payments: 1, fees: 219 },
  })
  const three = compared(parts)
  expect(three.comings.map(({ fee: taken }) => taken)).toEqual([93, 93, 93])
  expect(three).toMatchObject({ all: 13_500, kept: 13_500 - 2250 - 279, asMuchAsAtOnce: '2027-03-31' })
})

it('what goes on has no end sum, and reaches the price at once in its seventh month', () => {
  const endless = compared(monthly)
  expect(endless).toMatchObject({ all: null, kept: null, asMuchAsAtOnce: '2027-07-31' })
  expect(endless.comings).toHaveLength(25)
  expect(endless.comings.at(-1)).toMatchObject({ due: '2029-01-31', pay: 1900 })
  expect(endless.firstYear).toMatchObject({ pay: 12 * 1900, payments: 12 })
  expect(compared({ ...monthly, amount: 100 }).asMuchAsAtOnce).toBe(null)
  expect(compared(monthly, null).asMuchAsAtOnce).toBe(null)
})

it('what ends after some payments has its own number of them', () => {
  expect(compared({ ...monthly, payments: 3 })).toMatchObject({ all: 5700, comings: { length: 3 } })
})

it('until cancelled, the payments of a year are listed, that on its anniversary too, and never fewer than three', () => {
  const listed = (every: { count: number; unit: 'month' | 'year' }) =>
    describeOffer(
      school,
      { id: 'o', courses: [{ id: 'c' }], content: { ...newOffer('o'), terms: { ...monthly, every } } },
      '2027-01-31T10:00:00Z',
    )?.priced.line.payments.map(({ due }) => due)
  expect(listed(month)).toHaveLength(13)
  expect(listed(month)?.at(-1)).toBe('2028-01-31')
  expect(listed({ count: 1, unit: 'year' })).toEqual(['2027-01-31', '2028-01-31', '2029-01-31'])
})

it('what is paid on one day is one charge', () => {
  const begun = compared({ ...monthly, setupFee: 5000 })
  expect(begun.comings[0]).toMatchObject({ pay: 6900, fee: 25 + 104 })
  expect(compared({ kind: 'free' })).toMatchObject({ comings: [], all: 0, kept: 0, asMuchAsAtOnce: null })
})

it('adds up over time for every buyer', () => {
  const { comings } = compared(parts)
  const one = comings[0]?.kept ?? 0
  // What is due when a month is over is of the next.
  expect(keptOverTime(comings, '2027-01-31', 10, 3)).toEqual([10 * one, 10 * one, 20 * one, 30 * one])
  const endless = compared(monthly)
  expect(keptOverTime(endless.comings, '2027-01-31', 1, 12).at(-1)).toBe(endless.firstYear.kept)
  expect(endless.firstYear.payments).toBe(12)
})
