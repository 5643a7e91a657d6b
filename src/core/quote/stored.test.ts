import { expect, it } from 'vitest'
import { documentOf, readStoredQuote, storeQuote } from './stored.ts'

const document = {
  currency: 'EUR',
  timeZone: 'UTC',
  at: '2027-01-31T09:00:00Z',
  lines: [{ role: 'main', offer: { id: 'o', courses: [{ id: 'c' }], terms: { kind: 'single', amount: 4300 } } }],
}

it('a quote is read as every version kept it: bare at first, wrapped with its version now', () => {
  const stored = JSON.parse(JSON.stringify(storeQuote(document))) as unknown
  expect(stored).toEqual({ version: 1, document })
  expect(documentOf(stored)).toEqual(document)
  expect(documentOf(document)).toEqual(document)
  expect(readStoredQuote(stored)).toEqual(readStoredQuote(document))
  expect(readStoredQuote(stored).lines[0]?.offer.terms).toEqual({ kind: 'single', amount: 4300 })
})
