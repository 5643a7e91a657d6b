import { expect, it } from 'vitest'
import { newOffer, type OfferContent } from '../content/offer.ts'
import { describeOffer } from '../content/quoteInput.ts'
import { openingOf } from './openings.ts'

const SCHOOL = { currency: 'EUR', language: 'en', timeZone: 'UTC', taxMode: 'none', taxRate: 0 } as const
const AT = '2027-01-31T10:00:00Z'
const BOXES = { id: 'boxes', title: 'Boxes', opens: '2027-03-01' }
const COPTIC = { id: 'coptic', title: 'Coptic', opens: '2027-03-01' }
const PAPER = { id: 'paper', title: 'Paper', opens: null }
const PAST = { id: 'past', title: 'Past', opens: '2027-01-05' }
type Terms = OfferContent['terms']
type Course = { id: string; title: string; opens: string | null }
const once: Terms = { kind: 'single', amount: 12_900 }
const monthly: Terms = {
  kind: 'subscription',
  amount: 1900,
  every: { count: 1, unit: 'month' },
  payments: null,
  setupFee: null,
  trial: null,
}
const described = (courses: Course[], terms: Terms = once, access: Partial<OfferContent['access']> = {}) => {
  const content = { ...newOffer('o'), terms }
  return describeOffer(
    SCHOOL,
    { id: 'o', courses, content: { ...content, access: { ...content.access, ...access } } },
    AT,
  )
}
const opening = (courses: Course[], terms: Terms = once, access: Partial<OfferContent['access']> = {}) => {
  const said = described(courses, terms, access)
  if (!said) throw new Error('not quotable')
  return openingOf(courses, said.priced)
}
const YEAR = { count: 1, unit: 'year' } as const

it('a bundle opens with the first of its courses; what opens later is named, by its day', () => {
  expect(opening([PAPER, PAST])).toEqual({
    opens: '2027-01-31',
    closes: null,
    isWhileMember: false,
    count: 2,
    first: 2,
    notes: [],
  })
  expect(opening([PAPER, BOXES])).toEqual({
    opens: '2027-01-31',
    closes: null,
    isWhileMember: false,
    count: 2,
    first: 1,
    notes: ['“Boxes” opens on 1 March.'],
  })
  expect(opening([BOXES, PAPER, COPTIC]).notes).toEqual(['“Boxes” and “Coptic” open on 1 March.'])
  expect(opening([BOXES, COPTIC])).toEqual({
    opens: '2027-03-01',
    closes: null,
    isWhileMember: false,
    count: 2,
    first: 2,
    notes: [],
  })
  // An offer can only open later than its courses.
  expect(opening([PAPER, BOXES], once, { from: '2027-04-01' })).toMatchObject({ opens: '2027-04-01', notes: [] })
  expect(opening([PAPER, BOXES], once, { from: '2027-02-01' })).toMatchObject({
    opens: '2027-02-01',
    notes: ['“Boxes” opens on 1 March.'],
  })
})

it('a span counts from the day on which each course opens', () => {
  expect(opening([PAPER, BOXES], once, { lasts: YEAR })).toEqual({
    opens: '2027-01-31',
    closes: '2028-01-31',
    isWhileMember: false,
    count: 2,
    first: 1,
    notes: ['“Boxes” opens on 1 March, and closes on 1 March 2028.'],
  })
  expect(opening([BOXES], once, { lasts: YEAR })).toEqual({
    opens: '2027-03-01',
    closes: '2028-03-01',
    isWhileMember: false,
    count: 1,
    first: 1,
    notes: [],
  })
  expect(opening([BOXES], monthly, { lasts: YEAR })).toEqual({
    opens: '2027-03-01',
    closes: '2028-03-01',
    isWhileMember: false,
    count: 1,
    first: 1,
    notes: [],
  })
})

it('what opens when its access is over is not included, and says so', () => {
  const until = { lasts: { until: '2027-03-01' } }
  expect(opening([PAPER, BOXES], once, until)).toEqual({
    opens: '2027-01-31',
    closes: '2027-03-01',
    isWhileMember: false,
    count: 1,
    first: 1,
    notes: ['“Boxes” is not included: it opens on 1 March, after this access ends.'],
  })
  expect(described([PAPER, BOXES], once, until)?.quote.lines[0]?.shares.map(({ course }) => course)).toEqual(['paper'])
  expect(opening([PAPER, BOXES], once, { lasts: { until: '2027-03-02' } }).notes).toEqual(['“Boxes” opens on 1 March.'])
  // Where nothing is included, it cannot be sold.
  expect(described([BOXES], once, until)).toBe(null)
  expect(described([BOXES, COPTIC], monthly, until)).toBe(null)
})

it('days of an access while paying that lie before the opening are lost, and it is said', () => {
  const lost = 'Your payments start today. Days before the opening are not refunded.'
  const whilePaying = { lasts: 'whilePaying' } as const
  expect(opening([BOXES], monthly, whilePaying)).toEqual({
    opens: '2027-03-01',
    closes: null,
    isWhileMember: false,
    count: 1,
    first: 1,
    notes: [lost],
  })
  expect(opening([PAPER, BOXES], monthly, whilePaying).notes).toEqual(['“Boxes” opens on 1 March.', lost])
  expect(opening([PAPER], monthly, whilePaying).notes).toEqual([])
})

it('the quote holds the day of one course alone, of what is no subscription, while it lies ahead', () => {
  const from = (courses: Course[], terms: Terms = once) => described(courses, terms)?.priced.access.from
  expect(from([BOXES])).toBe('2027-03-01')
  expect(from([PAST])).toBe(null)
  expect(from([{ ...BOXES, opens: '2027-01-31' }])).toBe(null)
  expect(from([BOXES], monthly)).toBe(null)
  expect(from([BOXES, COPTIC])).toBe(null)
  expect(described([BOXES], once, { from: '2027-04-01' })?.priced.access.from).toBe('2027-04-01')
  expect(described([BOXES], once, { from: '2027-02-01' })?.priced.access.from).toBe('2027-03-01')
})
