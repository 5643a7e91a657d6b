import type { School } from '../school/service.ts'
import type { ShopPage } from './views.ts'

/** What every page of the shop is told of its school, beside what it shows. */
export function shopPage(school: School, shown: Omit<ShopPage, 'school'>): ShopPage {
  const { name, currency, language, leaveOutZeros, taxMode, taxRate, terms, look } = school
  return {
    school: { name, currency, language, leaveOutZeros, taxMode, taxRate, look, hasTerms: terms !== '' },
    ...shown,
  }
}
