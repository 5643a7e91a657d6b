import { COUNTRY_CODES } from './countries.ts'

/** What can be chosen at set-up, from the browser's own lists. */

const COMMON = ['EUR', 'USD', 'GBP', 'CHF', 'JPY', 'KWD', 'SEK', 'DKK', 'NOK', 'PLN', 'CZK', 'CAD', 'AUD']

/** The usual currencies, and `current` where it is another. */
export function currencyNames(current: string): [string, string][] {
  const names = new Intl.DisplayNames('en', { type: 'currency' })
  return [...new Set([...COMMON, current])].map((code) => [code, `${names.of(code)} (${code})`])
}

/** All time zones, and `current` where it is another, as UTC is. */
export function timeZones(current: string): [string, string][] {
  const zones = new Set([...Intl.supportedValuesOf('timeZone'), ...(current ? [current] : [])])
  return [...zones].map((zone) => [zone, zone.replaceAll('_', ' ')])
}

export function countryNames(): [string, string][] {
  const names = new Intl.DisplayNames('en', { type: 'region' })
  return COUNTRY_CODES.map((code): [string, string] => [code, names.of(code) ?? code]).sort((a, b) =>
    a[1].localeCompare(b[1]),
  )
}
