import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { LARGEST_AMOUNT } from './arithmetic.ts'
import { formatMoney, formatPlain } from './format.ts'
import { readMoney } from './parse.ts'

const euro = { currency: 'EUR', language: 'en' }
const german = { currency: 'EUR', language: 'de-AT' }
const yen = { currency: 'JPY', language: 'en' }
const dinar = { currency: 'KWD', language: 'en' }

describe('reads', () => {
  it.each([
    ['1299', euro, 129_900],
    ['1299,5', euro, 129_950],
    ['1299.5', german, 129_950],
    ['1.299,50', euro, 129_950],
    ['1,299.50', euro, 129_950],
    ['1,299.50', german, 129_950],
    ['1 299.50', euro, 129_950],
    ['1’299.50', euro, 129_950],
    ['€ 43', euro, 4300],
    ['43 €', euro, 4300],
    ['43 EUR', euro, 4300],
    ['0,5', euro, 50],
    ['149.-', euro, 14_900],
    ['149,-', german, 14_900],
    ['€ 1.299,–', euro, 129_900],
    ['149.--', euro, 14_900],
    ['149.- CHF', { currency: 'CHF', language: 'de-CH' }, 14_900],
    ['1500.-', yen, 1500],
    ['1.234.567', euro, 123_456_700],
    ['1,234,567.8', euro, 123_456_780],
    ['999999999.99', euro, LARGEST_AMOUNT],
    ['500', yen, 500],
    ['1,500', yen, 1500],
    ['1.25', dinar, 1250],
    ['1234.567', dinar, 1_234_567],
  ])('%j', (typed, format, amount) => {
    expect(readMoney(typed, format)).toMatchObject({ ok: true, amount })
  })
})

it('reads what could be read in two ways in the school’s format, and says so', () => {
  expect(readMoney('1,299', euro)).toEqual({ ok: true, amount: 129_900, ambiguous: true })
  expect(readMoney('1.299', german)).toEqual({ ok: true, amount: 129_900, ambiguous: true })
  expect(readMoney('1.299', dinar)).toEqual({ ok: true, amount: 1299, ambiguous: true })
  expect(readMoney('1,299', dinar)).toEqual({ ok: true, amount: 1_299_000, ambiguous: true })
})

describe('refuses in words', () => {
  it.each([
    ['-3', euro, 'below zero'],
    ['−3', euro, 'below zero'],
    ['abc', euro, 'in figures'],
    ['12a', euro, 'in figures'],
    ['', euro, 'Write a price'],
    ['12.345,678', euro, 'has 2 decimals'],
    ['12.3456', euro, 'has 2 decimals'],
    ['1.299', euro, 'without the mark'],
    ['500.5', yen, 'no decimals'],
    ['1000000000', euro, 'largest price'],
    ['1.2.3', euro, 'is not a number'],
    ['1,29.50', euro, 'is not a number'],
  ])('%j', (typed, format, words) => {
    const read = readMoney(typed, format)
    expect(read.ok ? 'read' : read.why).toContain(words)
  })
})

it.each([
  ['149.-', euro, 14_900],
  ['149,–', euro, 14_900],
  ['149-', euro, 14_900],
  ['500.-', yen, 500],
])('a dash in the place of the decimals says that there are none: %s', (typed, format, amount) => {
  expect(readMoney(typed, format)).toMatchObject({ ok: true, amount })
})

it('reads back everything that it writes, in every language and currency', () => {
  const formats = ['en', 'de-AT', 'de-CH', 'fr-FR'].flatMap((language) =>
    ['EUR', 'JPY', 'KWD', 'CHF'].map((currency) => ({ currency, language })),
  )
  fc.assert(
    fc.property(fc.integer({ min: 0, max: LARGEST_AMOUNT }), fc.constantFrom(...formats), (amount, format) => {
      expect(readMoney(formatPlain(amount, format), format)).toMatchObject({ ok: true, amount })
      expect(readMoney(formatMoney(amount, format), format)).toMatchObject({ ok: true, amount })
    }),
  )
})
