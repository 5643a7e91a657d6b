import { OFFER_NAME } from '../words/en/price.ts'
import { say } from '../words/message.ts'
import type { DraftTerms } from './offer.ts'

/** The units of a rhythm, and up to how many of one a name of ours is looked for. */
const UNITS = ['day', 'week', 'month', 'year'] as const
const LONGEST_RHYTHM = 12
const MOST_PARTS = 120

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
  return others.some((other) => other.trim() === next) ? (written === '' ? name : '') : next
}

/** Whether a name is one of ours, but of other terms: “Free” at a price, “3 installments” of a subscription. */
export function namesOtherTerms(name: string, terms: DraftTerms): boolean {
  const written = name.trim().toLowerCase()
  if (written === '' || written === nameOfTerms(terms).toLowerCase()) return false
  return everyName().some((one) => one.toLowerCase() === written)
}

/** Every name that {@link nameOfTerms} makes of usual terms. */
function everyName(): string[] {
  const trial = null
  const every = { count: 1, unit: 'month' } as const
  const parts = Array.from({ length: MOST_PARTS - 1 }, (_, index) => index + 2)
  const rhythms = Array.from({ length: LONGEST_RHYTHM }, (_, index) => index + 1)
  const all: DraftTerms[] = [
    { kind: 'free' },
    { kind: 'single', amount: null },
    { kind: 'openPrice', minimum: null, suggested: null },
    ...parts.flatMap((count) =>
      [null, 0].map((deposit) => ({
        kind: 'installments' as const,
        count,
        every,
        amount: null,
        total: null,
        deposit,
        trial,
      })),
    ),
    ...UNITS.flatMap((unit) =>
      rhythms.map((count) => ({
        kind: 'subscription' as const,
        amount: null,
        every: { count, unit },
        payments: null,
        setupFee: null,
        trial,
      })),
    ),
  ]
  return all.map(nameOfTerms)
}
