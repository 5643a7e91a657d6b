import { expect, it } from 'vitest'
import { quote } from './quote.ts'
import { readQuoteRequest } from './read.ts'
import { joinQuotes } from './sums.ts'

const line = (id: string, course: string, terms: object) => ({
  role: 'main',
  offer: { id, courses: [{ id: course }], terms },
})
const every = { count: 1, unit: 'month' }
const LINES = [
  line('once', 'coptic', { kind: 'single', amount: 12_900 }),
  line('parts', 'coptic', { kind: 'installments', count: 3, every, amount: 4300 }),
  line('club', 'paper', {
    kind: 'subscription',
    amount: 1900,
    every,
    trial: { length: { count: 7, unit: 'day' }, amount: 0 },
  }),
]
const quoted = (lines: object[]) =>
  quote(
    readQuoteRequest({
      currency: 'EUR',
      timeZone: 'Europe/Vienna',
      at: '2027-01-31T09:30:00+01:00',
      tax: { mode: 'inclusive', rate: 2000 },
      horizon: 4,
      lines,
    }),
  )

it('offers quoted one by one come to what a basket of them comes to', () => {
  const joined = joinQuotes(LINES.map((one) => quoted([one])))
  expect(joined).toMatchObject({ overlaps: ['coptic'], today: { pay: 17_200 }, committed: null })
  expect(joined).toEqual(quoted(LINES))
  const [once] = LINES
  expect(joinQuotes([quoted([once as object])])).toEqual(quoted([once as object]))
  expect(() => joinQuotes([])).toThrow(RangeError)
})
