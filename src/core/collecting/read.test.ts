import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { pointersOf, withAt } from '../../testing/documents.ts'
import { DocumentError } from '../document/reader.ts'
import { readRehearsal } from './read.ts'

type Json = Record<string, unknown>

const line = (id: string, terms: Json, access?: Json) => ({
  role: 'main',
  offer: { id, courses: [{ id }], terms, ...(access ? { access } : {}) },
})
const MONTH = { count: 1, unit: 'month' }
const GOOD: Json = {
  quote: {
    currency: 'EUR',
    timeZone: 'Pacific/Auckland',
    at: '2027-01-31T12:00:00Z',
    lines: [
      line('plan', { kind: 'installments', count: 3, every: MONTH, amount: 4500 }),
      line('club', { kind: 'subscription', amount: 1900, every: MONTH }, { lasts: 'whilePaying' }),
    ],
  },
  policy: { retryAfterDays: [2, 5, 9] },
  attempts: ['ok', 'declined', 'ok'],
  events: [
    { on: '2027-03-01', line: 0, what: 'pay' },
    { on: '2027-04-01', line: 1, what: 'cancel', when: 'period-end' },
  ],
  until: '2028-02-01',
}

function refusal(document: unknown): [string, string] {
  try {
    readRehearsal(document)
  } catch (error) {
    if (error instanceof DocumentError) return [error.at, error.why]
    throw error
  }
  throw new Error('It was read.')
}

it('reads what is rehearsed, and what is left out as the rules say', () => {
  expect(readRehearsal(GOOD)).toMatchObject({
    retryAfterDays: [2, 5, 9],
    attempts: ['ok', 'declined', 'ok'],
    until: '2028-02-01',
    events: [
      { on: '2027-03-01', line: 0, what: 'pay', when: 'period-end' },
      { on: '2027-04-01', line: 1, what: 'cancel', when: 'period-end' },
    ],
  })
  const { quote, until } = GOOD
  expect(readRehearsal({ quote, until })).toMatchObject({ retryAfterDays: [1, 3, 7], attempts: [], events: [] })
  expect(readRehearsal({ quote, until, policy: {} }).retryAfterDays).toEqual([1, 3, 7])
  expect(readRehearsal({ quote, until, policy: { retryAfterDays: [] } }).retryAfterDays).toEqual([])
})

it('the purchase day is one of the school’s zone: nothing may be asked for before it', () => {
  // Noon in UTC on 31 January is 1 February there.
  expect(readRehearsal(withAt(GOOD, '/until', '2028-02-01')).until).toBe('2028-02-01')
  const none = withAt(GOOD, '/events', []) as Json
  expect(readRehearsal({ ...none, until: '2027-02-01' }).until).toBe('2027-02-01')
  expect(refusal({ ...none, until: '2027-01-31' })).toEqual([
    '/until',
    'must not be before 2027-02-01, the purchase day',
  ])
  expect(refusal(withAt(GOOD, '/events/0/on', '2027-01-31'))).toEqual([
    '/events/0/on',
    'must lie between 2027-02-01 and 2028-02-01',
  ])
})

describe('a document that breaks a rule is refused at the field at fault', () => {
  const CASES: [pointer: string, value: unknown, why: string][] = [
    ['', undefined, 'is missing'],
    ['', 'text', 'must be an object'],
    ['/more', 1, 'is not a known field'],
    ['/quote', undefined, 'is missing'],
    ['/quote/currency', 'euro', 'must be an ISO 4217 currency, like EUR'],
    ['/quote/lines/0/offer/terms/amount', 0, 'must be at least 1'],
    ['/until', undefined, 'is missing'],
    ['/until', '2027-02-29', 'must be a date that exists, like 2027-01-31'],
    ['/until', '2037-02-02', 'must be within ten years of the purchase'],
    ['/policy', [1, 3, 7], 'must be an object'],
    ['/policy/grace', 7, 'is not a known field'],
    ['/policy/retryAfterDays', 3, 'must be a list'],
    ['/policy/retryAfterDays', [1, 2, 3, 4, 5, 6, 7, 8, 9], 'must hold at most 8'],
    ['/policy/retryAfterDays/0', 0, 'must be at least 1'],
    ['/policy/retryAfterDays/2', 61, 'must be at most 60'],
    ['/policy/retryAfterDays/1', 2, 'must be later than the one before it'],
    ['/policy/retryAfterDays/1', 2.5, 'must be a whole number'],
    ['/attempts', 'ok', 'must be a list'],
    ['/attempts/1', 'refused', 'must be one of ok, declined'],
    ['/attempts/1', null, 'is missing'],
    ['/events', { on: '2027-03-01' }, 'must be a list'],
    ['/events/0', null, 'is missing'],
    ['/events/0/what', 'refund', 'must be one of pay, cancel'],
    ['/events/0/when', 'now', 'belongs to a cancel'],
    ['/events/0/on', '2028-02-02', 'must lie between 2027-02-01 and 2028-02-01'],
    ['/events/0/on', undefined, 'is missing'],
    ['/events/0/line', undefined, 'is missing'],
    ['/events/0/line', 2, 'must be at most 1'],
    ['/events/0/line', -1, 'must be at least 0'],
    ['/events/1/line', 0, 'is no subscription, and only those are cancelled'],
    ['/events/1/when', 'later', 'must be one of now, period-end'],
    ['/events/1/when', undefined, 'is missing'],
    ['/events/1/why', 'x', 'is not a known field'],
  ]

  it.each(CASES)('%s %j', (pointer, value, why) => {
    expect(refusal(withAt(GOOD, pointer, value))).toEqual([pointer, why])
  })

  it('ten years to the day may be asked for', () => {
    expect(readRehearsal(withAt(GOOD, '/until', '2037-02-01')).until).toBe('2037-02-01')
  })
})

it('whatever is put wherever, it is read or refused at a pointer, and nothing else happens', () => {
  fc.assert(
    fc.property(fc.constantFrom(...pointersOf(GOOD)), fc.jsonValue({ maxDepth: 2 }), (pointer, value) => {
      try {
        readRehearsal(withAt(GOOD, pointer, value))
      } catch (error) {
        expect(error).toBeInstanceOf(DocumentError)
        expect((error as DocumentError).at === '' || (error as DocumentError).at.startsWith('/')).toBe(true)
      }
    }),
    { numRuns: 800 },
  )
})
