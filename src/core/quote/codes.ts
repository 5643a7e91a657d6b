import { type Instant, isBefore } from '../calendar/instant.ts'
import { roundRatio, split } from '../money/arithmetic.ts'
import type { Coupon, Quote, QuotedCode, QuoteLine, QuoteRequest, ScheduledPayment, WhyNot } from './types.ts'

/** A line on its way through the quote: what was ordered, and its payments as they stand so far. */
export interface DraftLine {
  line: QuoteLine
  payments: ScheduledPayment[]
  saleInForce: boolean
}

/**
 * How codes are compared (pricing rules, section 6).
 * @example codeKey(' spring-26 ') // 'SPRING-26'
 */
export function codeKey(code: string): string {
  return code.trim().toUpperCase()
}

/**
 * Tries the entered codes in their order and takes off what they save, in place
 * (pricing rules, section 6).
 */
export function applyCodes(request: QuoteRequest, lines: DraftLine[]): QuotedCode[] {
  const byKey = new Map(request.coupons.map((coupon) => [codeKey(coupon.code), coupon]))
  const entered = new Set<Coupon>()
  const counting: Coupon[] = []
  return request.codes.map((code) => {
    const coupon = byKey.get(codeKey(code))
    if (!coupon) return { code: code.trim(), counts: false, why: 'unknown' }
    const eligible = lines.filter((line) => isEligible(line, coupon))
    const why = entered.has(coupon) ? 'already-entered' : whyNot(coupon, request, eligible, counting)
    entered.add(coupon)
    if (why) return { code: coupon.code, counts: false, why }
    counting.push(coupon)
    return { code: coupon.code, counts: true, saves: takeOff(coupon, eligible) }
  })
}

/** The codes of an order that reach payment `n` of a line, of those that counted. */
export function codesOn(request: QuoteRequest, { codes, lines }: Quote, index: number, n: number): string[] {
  const byKey = new Map(request.coupons.map((coupon) => [codeKey(coupon.code), coupon]))
  const [line, payments = []] = [request.lines[index], lines[index]?.payments]
  const saleInForce = payments.some(({ list, price }) => price < list)
  return codes.flatMap(({ code, counts }) => {
    const coupon = counts ? byKey.get(codeKey(code)) : undefined
    const reaches = coupon && line && isEligible({ line, payments, saleInForce }, coupon)
    return reaches && (coupon.payments === null || n <= coupon.payments) ? [code] : []
  })
}

function isEligible({ line, payments, saleInForce }: DraftLine, coupon: Coupon): boolean {
  return (
    payments.some((payment) => payment.n > 0) &&
    (coupon.offers === null || coupon.offers.has(line.offer.id)) &&
    coupon.roles.has(line.role) &&
    !(coupon.skipsSale && saleInForce)
  )
}

/** The first reason that holds, in the order of the rules; null where the code counts. */
function whyNot(
  coupon: Coupon,
  { currency, at, buyer }: QuoteRequest,
  eligible: DraftLine[],
  counting: Coupon[],
): WhyNot | null {
  if (coupon.reduction.kind === 'fixed' && coupon.reduction.currency !== currency) return 'wrong-currency'
  const timing = whyNotNow(coupon, at)
  if (timing) return timing
  if (coupon.limit !== null && coupon.used >= coupon.limit) return 'used-up'
  if (coupon.limitPerBuyer !== null && coupon.usedByBuyer >= coupon.limitPerBuyer) return 'used-by-buyer'
  if (coupon.firstPurchaseOnly && buyer.purchases > 0) return 'first-purchase-only'
  if (counting.some((other) => !other.combines || !coupon.combines)) return 'does-not-combine'
  const firsts = eligible.map(firstNumbered)
  if (!firsts.some((payment) => leftOf(payment) > 0)) return 'nothing-eligible'
  const worth = firsts.reduce((sum, payment) => sum + payment.price, 0)
  return worth < coupon.minimum ? 'below-minimum' : null
}

function whyNotNow({ startsAt, endsAt }: Coupon, at: Instant): WhyNot | null {
  if (startsAt && isBefore(at, startsAt)) return 'not-yet'
  return endsAt && !isBefore(at, endsAt) ? 'expired' : null
}

/** The first numbered payment of a line that has one. */
function firstNumbered({ payments }: DraftLine): ScheduledPayment {
  return payments.find((payment) => payment.n > 0) as ScheduledPayment
}

function leftOf(payment: ScheduledPayment): number {
  return payment.price - payment.discount
}

function takeOff(coupon: Coupon, eligible: DraftLine[]): number {
  const { reduction } = coupon
  const reach = coupon.payments ?? Number.POSITIVE_INFINITY
  let saves = 0
  const lower = (payment: ScheduledPayment, by: number) => {
    payment.discount += by
    saves += by
  }
  if (reduction.kind === 'percent') {
    for (const payment of reached(eligible, reach)) {
      lower(payment, roundRatio(leftOf(payment), reduction.rate, 10_000))
    }
    return saves
  }
  const lefts = eligible.map((line) => leftOf(firstNumbered(line)))
  const most = lefts.reduce((sum, left) => sum + left, 0)
  const shares = split(Math.min(reduction.amount, most), lefts)
  eligible.forEach((line, index) => {
    for (const payment of reached([line], reach)) {
      lower(payment, Math.min(shares[index] as number, leftOf(payment)))
    }
  })
  return saves
}

/** The numbered payments of the lines that a coupon reaches. */
function reached(lines: readonly DraftLine[], reach: number): ScheduledPayment[] {
  const found: ScheduledPayment[] = []
  for (const { payments } of lines) {
    for (const payment of payments) if (payment.n > 0 && payment.n <= reach) found.push(payment)
  }
  return found
}
