import type { SchoolForm } from './schoolForm.ts'

type Proposal = Pick<SchoolForm, 'currency' | 'timeZone' | 'taxMode' | 'taxRate' | 'language'>

/** Currency, time zone, standard rate of value added tax in per cent (none: 0), and how money is written there. */
const COUNTRIES: Record<string, readonly [string, string, number, SchoolForm['language']]> = {
  AT: ['EUR', 'Europe/Vienna', 20, 'de-AT'],
  AU: ['AUD', 'Australia/Sydney', 10, 'en'],
  BE: ['EUR', 'Europe/Brussels', 21, 'nl-NL'],
  BG: ['EUR', 'Europe/Sofia', 20, 'en'],
  BR: ['BRL', 'America/Sao_Paulo', 0, 'en'],
  CA: ['CAD', 'America/Toronto', 5, 'en'],
  CH: ['CHF', 'Europe/Zurich', 8.1, 'de-CH'],
  CL: ['CLP', 'America/Santiago', 19, 'es-ES'],
  CY: ['EUR', 'Asia/Nicosia', 19, 'en'],
  CZ: ['CZK', 'Europe/Prague', 21, 'en'],
  DE: ['EUR', 'Europe/Berlin', 19, 'de-DE'],
  DK: ['DKK', 'Europe/Copenhagen', 25, 'en'],
  EE: ['EUR', 'Europe/Tallinn', 24, 'en'],
  ES: ['EUR', 'Europe/Madrid', 21, 'es-ES'],
  FI: ['EUR', 'Europe/Helsinki', 25.5, 'sv-SE'],
  FR: ['EUR', 'Europe/Paris', 20, 'fr-FR'],
  GB: ['GBP', 'Europe/London', 20, 'en-GB'],
  GR: ['EUR', 'Europe/Athens', 24, 'en'],
  HR: ['EUR', 'Europe/Zagreb', 25, 'en'],
  HU: ['HUF', 'Europe/Budapest', 27, 'en'],
  IE: ['EUR', 'Europe/Dublin', 23, 'en'],
  IL: ['ILS', 'Asia/Jerusalem', 18, 'en'],
  IN: ['INR', 'Asia/Kolkata', 18, 'en'],
  IS: ['ISK', 'Atlantic/Reykjavik', 24, 'en'],
  IT: ['EUR', 'Europe/Rome', 22, 'it-IT'],
  JP: ['JPY', 'Asia/Tokyo', 10, 'ja-JP'],
  KE: ['KES', 'Africa/Nairobi', 16, 'en'],
  KR: ['KRW', 'Asia/Seoul', 10, 'en'],
  KW: ['KWD', 'Asia/Kuwait', 0, 'en'],
  LT: ['EUR', 'Europe/Vilnius', 21, 'en'],
  LU: ['EUR', 'Europe/Luxembourg', 17, 'fr-FR'],
  LV: ['EUR', 'Europe/Riga', 21, 'en'],
  MT: ['EUR', 'Europe/Malta', 18, 'en'],
  MX: ['MXN', 'America/Mexico_City', 16, 'es-ES'],
  NG: ['NGN', 'Africa/Lagos', 7.5, 'en'],
  NL: ['EUR', 'Europe/Amsterdam', 21, 'nl-NL'],
  NO: ['NOK', 'Europe/Oslo', 25, 'en'],
  NZ: ['NZD', 'Pacific/Auckland', 15, 'en'],
  PL: ['PLN', 'Europe/Warsaw', 23, 'pl-PL'],
  PT: ['EUR', 'Europe/Lisbon', 23, 'en'],
  RO: ['RON', 'Europe/Bucharest', 21, 'en'],
  SE: ['SEK', 'Europe/Stockholm', 25, 'sv-SE'],
  SG: ['SGD', 'Asia/Singapore', 9, 'en'],
  SI: ['EUR', 'Europe/Ljubljana', 22, 'en'],
  SK: ['EUR', 'Europe/Bratislava', 23, 'en'],
  TR: ['TRY', 'Europe/Istanbul', 20, 'en'],
  UA: ['UAH', 'Europe/Kyiv', 20, 'en'],
  US: ['USD', 'America/New_York', 0, 'en-US'],
  ZA: ['ZAR', 'Africa/Johannesburg', 15, 'en'],
}

export const COUNTRY_CODES = Object.keys(COUNTRIES)

/** What a school in a country is proposed; its own zone is kept where the browser stands in another of the country. */
export function proposalFor(country: string, browserZone: string): Proposal | null {
  const known = COUNTRIES[country]
  if (!known) return null
  const [currency, zone, rate, language] = known
  const isThere = countryOfZone(browserZone) === country
  return {
    currency,
    timeZone: isThere ? browserZone : zone,
    taxMode: rate === 0 ? 'none' : 'inclusive',
    taxRate: String(rate),
    language,
  }
}

/** The country that a browser seems to be in: by its time zone, else by the region of its language; empty where neither says. */
export function guessCountry(browserZone: string, browserLanguage: string): string {
  const region = new Intl.Locale(browserLanguage).region ?? ''
  return countryOfZone(browserZone) ?? (region in COUNTRIES ? region : '')
}

function countryOfZone(zone: string): string | null {
  return COUNTRY_CODES.find((code) => COUNTRIES[code]?.[1] === zone) ?? null
}
