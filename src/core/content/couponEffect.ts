import { DocumentError } from '../document/reader.ts'
import { type FeeTerms, feeOf } from '../money/fee.ts'
import { type CollectingMethod, toCollect, whyNot } from '../paymentMethods/collects.ts'
import { quote } from '../quote/quote.ts'
import { readQuoteRequest } from '../quote/read.ts'
import type { Quote, WhyNot } from '../quote/types.ts'
import { type CouponContent, couponInput, couponProblems } from './coupon.ts'
import type { OfferContent } from './offer.ts'
import { basketInput, type PricingSchool } from './quoteInput.ts'

/** An offer on sale, with the product that it sells. */
export interface OfferOnSale {
  id: string
  productId: string
  content: OfferContent
}

/** What a coupon does to one offer that is bought alone, by somebody who has never used it. Amounts in minor units. */
export interface CouponEffect {
  without: Quote
  /** The same quote where it does not count. */
  with: Quote
  /** Why it does not count; null where it does. */
  why: WhyNot | null
  /** No method can collect it with the coupon, though one could without. */
  isUncollectable: boolean
  /** What is left of all listed payments after tax and fees, with the coupon; null where nobody can collect it. */
  keeps: number | null
}

type Method = CollectingMethod & { fee: FeeTerms }

/**
 * What a coupon does to an offer, as it would while it is valid: its start and end are left out. Null where the offer has
 * no price, or the coupon no figure yet.
 * @param at the moment by which sale prices are looked at, RFC 3339.
 */
export function effectOf(
  content: CouponContent,
  offer: OfferOnSale,
  school: PricingSchool,
  methods: readonly Method[],
  at: string,
): CouponEffect | null {
  const isFigured = content.kind === 'percent' ? content.rate !== null : content.amount !== null
  if (!isFigured) return null
  // A set has a name in place of a word; that, and a word that is not chosen yet or cannot be one, is stood for.
  const isCode = !content.isSet && !couponProblems(content, at).some((problem) => problem.at === '/code')
  const code = isCode ? content.code : 'CODE'
  const always = { ...content, from: null, until: null }
  const coupon = couponInput(always, { code, currency: school.currency, offers: [offer] }, { used: 0, usedByBuyer: 0 })
  const line = {
    role: 'main' as const,
    chosen: null,
    offer: { id: offer.id, courses: [{ id: offer.productId }], content: offer.content },
  }
  const quoted = (codes: string[]) =>
    quote(readQuoteRequest(basketInput(school, [line], at, { coupons: [coupon], codes, buyer: { purchases: 0 } })))
  try {
    const without = quoted([])
    const withIt = quoted([code])
    const [said] = withIt.codes
    const why = said && !said.counts ? said.why : null
    const can = (of: Quote) => methods.filter((method) => whyNot(method, toCollect(of, school.currency)) === null)
    const needsNone = withIt.today.pay === 0 && withIt.later.length === 0 && withIt.committed !== null
    const [method] = can(withIt)
    return {
      without,
      with: withIt,
      why,
      isUncollectable: why === null && !needsNone && method === undefined && can(without).length > 0,
      keeps: needsNone ? 0 : method ? keptOf(withIt, school.currency, method.fee) : null,
    }
  } catch (error) {
    if (error instanceof DocumentError) return null
    throw error
  }
}

/** What is left of all listed payments after tax and the fee of each charge. */
function keptOf({ lines }: Quote, currency: string, fee: FeeTerms): number {
  const charges = new Map<string, number>()
  let kept = 0
  for (const { payments } of lines) {
    for (const { due, pay, tax } of payments) {
      charges.set(due, (charges.get(due) ?? 0) + pay)
      kept += pay - tax
    }
  }
  return [...charges.values()].reduce((left, pay) => (pay > 0 ? left - feeOf(pay, currency, fee) : left), kept)
}
