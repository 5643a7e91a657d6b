import type { LANGUAGES } from './languages.ts'

/** What is written of a school, as it stands in the form: the rate still as text. */
export interface SchoolForm {
  name: string
  currency: string
  language: (typeof LANGUAGES)[number]['tag']
  leaveOutZeros: boolean
  timeZone: string
  country: string
  taxMode: 'none' | 'inclusive' | 'exclusive'
  taxRate: string
}

/** The form of a school that there is. */
export function formOf(
  school: Omit<SchoolForm, 'taxRate' | 'language'> & { language: string; taxRate: number },
): SchoolForm {
  const { name, currency, language, leaveOutZeros, timeZone, country, taxMode, taxRate } = school
  return {
    name,
    currency,
    language: language as SchoolForm['language'],
    leaveOutZeros,
    timeZone,
    country,
    taxMode,
    taxRate: String(taxRate / 100),
  }
}

/** The school as the API takes it; a rate that is no number is left to it to refuse. */
export function schoolOf({ taxRate, ...form }: SchoolForm) {
  const rate = Math.round(Number(taxRate.trim().replace(',', '.') || Number.NaN) * 100)
  return { ...form, taxRate: form.taxMode === 'none' ? 0 : rate }
}
