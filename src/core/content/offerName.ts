import { OFFER_NAME } from '../words/en/price.ts'
import { say } from '../words/message.ts'
import type { DraftTerms } from './offer.ts'

/**
 * The name of an offer that nobody has named, by its price terms.
 * @example nameOfTerms({ kind: 'free' }) // 'Free'
 */
export function nameOfTerms(terms: DraftTerms): string {
  switch (terms.kind) {
    case 'free':
      return say(OFFER_NAME.free, {})
    case 'single':
      return say(OFFER_NAME.single, {})
    case 'openPrice':
      return say(OFFER_NAME.openPrice, {})
    case 'installments':
      return say(terms.deposit === null ? OFFER_NAME.installments : OFFER_NAME.deposit, { count: terms.count })
    case 'subscription':
      return say(OFFER_NAME.every[terms.every.unit], { count: terms.every.count })
  }
}

/**
 * The name after a change of terms: one that nobody wrote follows, unless another offer of the product (`others`) has the
 * new name; a written one stays.
 */
export function nameAfter(name: string, before: DraftTerms, terms: DraftTerms, others: readonly string[] = []): string {
  const written = name.trim()
  if (written !== '' && written !== nameOfTerms(before)) return name
  const next = nameOfTerms(terms)
  if (next === written) return name
  return others.some((other) => other.trim() === next) ? '' : next
}

/** Whether a name is one of ours, but of other terms: “Free” at a price, “3 installments” of a subscription. */
export function namesOtherTerms(name: string, terms: DraftTerms): boolean {
  const written = name.trim().toLowerCase()
  if (written === '' || written === nameOfTerms(terms).toLowerCase()) return false
  return everyShape().has(shapeOf(written))
}

/** A name whatever number is in it. */
const shapeOf = (name: string) => name.toLowerCase().replace(/\d+/, '#')

/** Numbers that between them have every plural form. */
const COUNTS = [1, 2, 5]

/** The shape of every name that {@link nameOfTerms} makes. */
function everyShape(): Set<string> {
  const month = { count: 1, unit: 'month' } as const
  const all: DraftTerms[] = [
    { kind: 'free' },
    { kind: 'single', amount: null },
    { kind: 'openPrice', minimum: null, suggested: null },
  ]
  for (const count of COUNTS) {
    for (const deposit of [null, 0]) {
      all.push({ kind: 'installments', count, every: month, amount: null, total: null, deposit, trial: null })
    }
    for (const unit of ['day', 'week', 'month', 'year'] as const) {
      const every = { count, unit }
      all.push({ kind: 'subscription', amount: null, every, payments: null, setupFee: null, trial: null })
    }
  }
  return new Set(all.map((terms) => shapeOf(nameOfTerms(terms))))
}
