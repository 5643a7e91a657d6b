import { expect, it } from 'vitest'
import { courseChanges, offerChanges } from './changes.ts'
import type { CourseContent } from './course.ts'
import { newOffer, type OfferContent } from './offer.ts'

const school = { currency: 'EUR', language: 'en', timeZone: 'UTC', taxMode: 'inclusive', taxRate: 2000 } as const
const at = '2027-01-31T10:00:00Z'
const offer: OfferContent = { ...newOffer('One payment'), terms: { kind: 'single', amount: 12_900 } }
const course: CourseContent = {
  title: 'Coptic',
  summary: '',
  description: '',
  coverColor: 'spruce',
  coverId: null,
  opens: null,
  lessons: [
    { id: 'a', title: 'One', body: '' },
    { id: 'b', title: 'Two', body: '' },
  ],
}

it('says who may buy, the tax rate and the lines', () => {
  const draft: OfferContent = {
    ...offer,
    audience: { who: 'holders', of: ['a', 'b'] },
    taxRate: 1000,
    lines: 'With linen thread',
    statement: 'COPTIC',
    sku: 'CB-1',
    label: 'mine',
  }
  const titles = { a: 'Coptic', b: 'Leather' } as Record<string, string>
  expect(offerChanges(offer, draft, school, at, (id) => titles[id] ?? '')).toEqual([
    { what: 'Own tax rate', from: null, to: '10%' },
    { what: 'Who may buy', from: null, to: 'only members of Coptic or Leather' },
    { what: 'Lines under the price', from: null, to: 'With linen thread' },
    { what: 'Card statement', from: null, to: 'COPTIC' },
    { what: 'Article number', from: null, to: 'CB-1' },
    { what: 'Label for you', from: null, to: 'mine' },
  ])
})

it('says what a price becomes, and nothing where nothing changes', () => {
  expect(offerChanges(offer, offer, school, at)).toEqual([])
  expect(offerChanges(offer, { ...offer, terms: { kind: 'free' } }, school, at)).toEqual([
    { what: 'Price', from: '€129.00 today. Open for good.', to: 'Free. Open for good.' },
  ])
  expect(offerChanges(null, offer, school, at)).toEqual([
    { what: 'Name', from: null, to: 'One payment' },
    { what: 'Price', from: null, to: '€129.00 today. Open for good.' },
  ])
})

it('says what else of a course is another: its description, and the day on which it opens', () => {
  const said = (more: Partial<CourseContent>) =>
    courseChanges(course, { ...course, ...more }, 'en').map(({ what, from, to }) => `${what}: ${from} → ${to}`)
  expect(said({})).toEqual([])
  expect(said({ description: '<p>Else</p>' })).toEqual(['Description: the old text → the new text'])
  expect(said({ opens: '2027-03-01' })).toEqual(['Opens: null → 1 March 2027'])
})

it('tells new, renamed, rewritten, removed and moved lessons apart', () => {
  const [one, two] = course.lessons as [CourseContent['lessons'][0], CourseContent['lessons'][0]]
  const whats = (lessons: CourseContent['lessons']) =>
    courseChanges(course, { ...course, lessons }, 'en').map(({ what, from, to }) => `${what}: ${from} → ${to}`)
  expect(whats([one, two, { id: 'c', title: 'Three', body: '' }])).toEqual(['Lesson: null → Three'])
  expect(whats([{ ...one, title: 'First' }, two])).toEqual(['Lesson: One → First'])
  expect(whats([{ ...one, body: '<p>x</p>' }, two])).toEqual(['Lesson “One”: the old text → the new text'])
  expect(whats([two])).toEqual(['Lesson: One → null'])
  expect(whats([two, one])).toEqual(['Order of the lessons: the old order → the new order'])
})
