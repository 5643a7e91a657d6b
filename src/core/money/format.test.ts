import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { currencyDigits } from './currency.ts'
import { formatMoney, formatPlain, formatRate, separatorsOf } from './format.ts'

const plain = (text: string) => text.replaceAll(/[\u00a0\u202f]/g, ' ')

describe('money is written as its school writes it', () => {
  it.each([
    [129_900, 'EUR', 'en', '€1,299.00'],
    [129_900, 'EUR', 'de-DE', '1.299,00 €'],
    [129_900, 'EUR', 'de-AT', '€ 1.299,00'],
    [129_900, 'EUR', 'fr-FR', '1 299,00 €'],
    [129_950, 'USD', 'en-US', '$1,299.50'],
    [129_950, 'GBP', 'en-GB', '£1,299.50'],
    [1299, 'JPY', 'ja-JP', '¥1,299'],
    [1299, 'JPY', 'en', '¥1,299'],
    [1_299_500, 'KWD', 'en', 'KWD 1,299.500'],
    [0, 'EUR', 'en', '€0.00'],
    [5, 'EUR', 'en', '€0.05'],
    [-1500, 'EUR', 'en', '-€15.00'],
  ])('%i %s in %s: %s', (amount, currency, language, text) => {
    expect(plain(formatMoney(amount, { currency, language })).replace('￥', '¥')).toBe(text)
  })

  it('decimals are left out only where all are zero, and only where that is wanted', () => {
    const format = { currency: 'EUR', language: 'en' }
    expect(formatMoney(12_900, format, true)).toBe('€129')
    expect(formatMoney(12_950, format, true)).toBe('€129.50')
    expect(formatMoney(12_900, { ...format, leaveOutZeros: true })).toBe('€129')
    expect(formatMoney(12_905, { ...format, leaveOutZeros: true })).toBe('€129.05')
    expect(formatMoney(12_900, { ...format, leaveOutZeros: false })).toBe('€129.00')
  })

  it('in a field there is no sign of the currency, but its decimals', () => {
    expect(formatPlain(129_950, { currency: 'EUR', language: 'en' })).toBe('1,299.50')
    expect(formatPlain(129_950, { currency: 'EUR', language: 'de-DE' })).toBe('1.299,50')
    expect(formatPlain(1299, { currency: 'JPY', language: 'en' })).toBe('1,299')
    expect(formatPlain(1_299_500, { currency: 'KWD', language: 'en' })).toBe('1,299.500')
  })

  it('a rate has as many decimals as it needs, two at most', () => {
    expect([2000, 1950, 725, 1, 10_000, 0].map((rate) => formatRate(rate, 'en'))).toEqual([
      '20%',
      '19.5%',
      '7.25%',
      '0.01%',
      '100%',
      '0%',
    ])
    expect(plain(formatRate(1950, 'de-DE'))).toBe('19,5 %')
  })

  it('knows the separators of a language', () => {
    expect(separatorsOf('en')).toEqual({ decimal: '.', group: ',' })
    expect(separatorsOf('de-DE')).toEqual({ decimal: ',', group: '.' })
    expect(plain(separatorsOf('fr-FR').group)).toBe(' ')
  })

  it('no two amounts are written alike, whatever the currency', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 0, max: 99_999_999_999 }),
        fc.integer({ min: 1, max: 100_000 }),
        fc.constantFrom('EUR', 'JPY', 'KWD', 'CHF'),
        fc.constantFrom('en', 'de-DE', 'fr-FR', 'sv-SE'),
        fc.boolean(),
        (amount, more, currency, language, leaveOutZeros) => {
          const format = { currency, language, leaveOutZeros }
          expect(formatMoney(amount, format)).not.toBe(formatMoney(amount + more, format))
          const digits = formatMoney(amount, format).replaceAll(/\D/g, '')
          const isBare = leaveOutZeros && amount % 10 ** currencyDigits(currency) === 0
          expect(Number(digits)).toBe(isBare ? amount / 10 ** currencyDigits(currency) : amount)
        },
      ),
    )
  })
})
