import type { Amount } from './arithmetic.ts'
import { currencyDigits } from './currency.ts'

/** How a school writes money: its currency and its language (BCP 47). */
export interface MoneyFormat {
  currency: string
  language: string
  /** Leave out decimals that are all zero, "€129". */
  leaveOutZeros?: boolean
}

const formatters = new Map<string, Intl.NumberFormat>()

/**
 * An amount of minor units as text, "€129.00"; `short` leaves out decimals that are all zero.
 * @example formatMoney(12_900, { currency: 'EUR', language: 'en' }) // '€129.00'
 */
export function formatMoney(amount: Amount, format: MoneyFormat, short = false): string {
  const digits = currencyDigits(format.currency)
  const unit = 10 ** digits
  const bare = (short || format.leaveOutZeros === true) && amount % unit === 0
  return formatterFor(format, bare ? 0 : digits).format(amount / unit)
}

/**
 * An amount as it stands in a field: no currency sign, the school's separators, "1,299.50".
 * @example formatPlain(129_950, { currency: 'EUR', language: 'de' }) // '1.299,50'
 */
export function formatPlain(amount: Amount, { currency, language }: MoneyFormat): string {
  const digits = currencyDigits(currency)
  return new Intl.NumberFormat(language, {
    minimumFractionDigits: digits,
    maximumFractionDigits: digits,
  }).format(amount / 10 ** digits)
}

/**
 * A rate in basis points as text, "20%".
 * @example formatRate(1950, 'en') // '19.5%'
 */
export function formatRate(rate: number, language: string): string {
  return new Intl.NumberFormat(language, { style: 'percent', maximumFractionDigits: 2 }).format(rate / 10_000)
}

/** The separators that a language writes numbers with. */
export function separatorsOf(language: string): { decimal: string; group: string } {
  const parts = new Intl.NumberFormat(language, { useGrouping: true }).formatToParts(1_234_567.8)
  const find = (type: string, absent: string) => parts.find((part) => part.type === type)?.value ?? absent
  return { decimal: find('decimal', '.'), group: find('group', ',') }
}

function formatterFor({ currency, language }: MoneyFormat, digits: number): Intl.NumberFormat {
  const key = `${language} ${currency} ${digits}`
  let formatter = formatters.get(key)
  if (!formatter) {
    formatter = new Intl.NumberFormat(language, {
      style: 'currency',
      currency,
      currencyDisplay: 'narrowSymbol',
      minimumFractionDigits: digits,
      maximumFractionDigits: digits,
    })
    formatters.set(key, formatter)
  }
  return formatter
}
