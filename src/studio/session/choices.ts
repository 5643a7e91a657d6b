import { COUNTRY_CODES } from './countries.ts'

/** What can be chosen at set-up, from the browser's own lists. */

export const LANGUAGES = [
  { tag: 'en', name: 'English' },
  { tag: 'en-GB', name: 'English, British' },
  { tag: 'en-US', name: 'English, American' },
  { tag: 'de-AT', name: 'German, Austrian' },
  { tag: 'de-DE', name: 'German' },
  { tag: 'de-CH', name: 'German, Swiss' },
  { tag: 'fr-FR', name: 'French' },
  { tag: 'es-ES', name: 'Spanish' },
  { tag: 'it-IT', name: 'Italian' },
  { tag: 'nl-NL', name: 'Dutch' },
  { tag: 'pl-PL', name: 'Polish' },
  { tag: 'sv-SE', name: 'Swedish' },
  { tag: 'ja-JP', name: 'Japanese' },
] as const

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
