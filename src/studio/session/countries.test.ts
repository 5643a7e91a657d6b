import { expect, it } from 'vitest'
import { isTimeZone } from '../../core/calendar/instant.ts'
import { isCurrency } from '../../core/money/currency.ts'
import { COUNTRY_CODES, guessCountry, proposalFor } from './countries.ts'

it('every country proposes a currency, a zone and a rate that exist', () => {
  for (const code of COUNTRY_CODES) {
    const proposal = proposalFor(code, 'UTC')
    expect([code, isCurrency(proposal?.currency ?? ''), isTimeZone(proposal?.timeZone ?? '')]).toEqual([
      code,
      true,
      true,
    ])
    expect(Number(proposal?.taxRate)).toBeLessThanOrEqual(27)
  }
})

it.each([
  ['Europe/Zurich', 'de-CH', 'CH'],
  ['Europe/Vienna', 'en-US', 'AT'],
  // A browser on UTC says nothing of where it is; its language may.
  ['UTC', 'de-AT', 'AT'],
  ['UTC', 'en', ''],
] as const)('%s and %s are taken for “%s”', (zone, language, country) => {
  expect(guessCountry(zone, language)).toBe(country)
})

it('proposes francs, 8.1 % and Zurich for Switzerland; no zone of another continent for a browser on UTC', () => {
  expect(proposalFor('CH', 'UTC')).toEqual({
    currency: 'CHF',
    timeZone: 'Europe/Zurich',
    taxMode: 'inclusive',
    taxRate: '8.1',
    language: 'de-CH',
  })
  expect(proposalFor('US', 'UTC')).toMatchObject({ taxMode: 'none', timeZone: 'America/New_York' })
})
