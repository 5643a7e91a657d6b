import type { Amount } from '../money/arithmetic.ts'
import { currencyDigits } from '../money/currency.ts'
import type { BundleContent } from './bundle.ts'
import type { CouponContent } from './coupon.ts'
import type { DraftTerms, OfferContent } from './offer.ts'

function scaleBetween(from: string, to: string): (amount: Amount) => Amount {
  const digits = currencyDigits(to) - currencyDigits(from)
  return (amount) =>
    digits >= 0 ? amount * 10 ** digits : Math.max(amount > 0 ? 1 : 0, Math.floor(amount / 10 ** -digits + 0.5))
}

/**
 * An offer's figures in another currency: the figure stays, the sign changes, so that 129.00 becomes
 * 129 where there are no decimals and 129.000 where there are three. Nothing is converted by any rate.
 * Decimals that the new currency lacks are rounded half up; a price stays at least one unit.
 */
export function rescaleContent(content: OfferContent, from: string, to: string): OfferContent {
  if (currencyDigits(to) === currencyDigits(from)) return content
  const scale = scaleBetween(from, to)
  const maybe = (amount: Amount | null) => (amount === null ? null : scale(amount))
  return {
    ...content,
    terms: rescaleTerms(content.terms, scale, maybe),
    sale: content.sale && { ...content.sale, amount: maybe(content.sale.amount) },
  }
}

/** A coupon's figures in another currency: they stay, as an offer's do. */
export function rescaleCoupon(content: CouponContent, from: string, to: string): CouponContent {
  const scale = scaleBetween(from, to)
  const maybe = (amount: Amount | null) => (amount === null ? null : scale(amount))
  return { ...content, amount: maybe(content.amount), minimum: maybe(content.minimum) }
}

/** What a bundle's courses are worth in another currency: the figures stay, as an offer's do. */
export function rescaleBundle(content: BundleContent, from: string, to: string): BundleContent {
  const scale = scaleBetween(from, to)
  const courses = content.courses.map(({ id, figure }) => ({ id, figure: figure === null ? null : scale(figure) }))
  return { ...content, courses }
}

function rescaleTerms(
  terms: DraftTerms,
  scale: (amount: Amount) => Amount,
  maybe: (amount: Amount | null) => Amount | null,
): DraftTerms {
  const trial = 'trial' in terms && terms.trial ? { ...terms.trial, amount: scale(terms.trial.amount) } : null
  switch (terms.kind) {
    case 'free':
      return terms
    case 'single':
      return { ...terms, amount: maybe(terms.amount) }
    case 'openPrice':
      return { ...terms, minimum: maybe(terms.minimum), suggested: maybe(terms.suggested) }
    case 'installments':
      return { ...terms, amount: maybe(terms.amount), total: maybe(terms.total), deposit: maybe(terms.deposit), trial }
    case 'subscription':
      return { ...terms, amount: maybe(terms.amount), setupFee: maybe(terms.setupFee), trial }
  }
}
