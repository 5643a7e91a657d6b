import { after, type Day } from '../calendar/day.ts'
import { type Amount, split } from '../money/arithmetic.ts'
import { quote } from '../quote/quote.ts'
import { anchorOf } from '../quote/schedule.ts'
import { taxOf } from '../quote/tax.ts'
import type { QuotedOffer, QuoteRequest, ScheduledPayment } from '../quote/types.ts'
import type { Access, Tax, Terms } from '../terms/terms.ts'

/**
 * What an agreement charges and opens from one of its numbers on: fixed on the day on which it is agreed to, and read
 * at every later charge instead of the order. Plain JSON, since it is stored for years.
 */
export interface Phase {
  /** The number of its first payment. */
  from: number
  /** The day of the purchase: the course opens by it, and access while paying counts from it. */
  purchaseDay: Day
  /** The day on which the purchase was paid, from which access that lasts a span counts. */
  placedOn: Day
  /** The day on which payment `from` of a subscription is due; the others follow by its terms' span. */
  anchor: Day
  terms: Terms
  access: Access
  tax: Tax
  /** The courses that it pays for, and how its money is split among them. */
  courses: { id: string; weight: number }[]
  /** What regular payments cost before tax, each from its number on; the last row holds for all that follow. */
  prices: PhasePrice[]
}

/** What regular payments cost from a number on. */
export interface PhasePrice {
  from: number
  list: Amount
  price: Amount
  discount: Amount
  /** Where they were lowered by a course's share: what is charged, and the tax in it, to the unit. */
  lowered?: { tax: Amount; pay: Amount }
}

/** How an agreement's phases are stored. The version is for lifting what an older one stored. */
export interface StoredPhases {
  version: 1
  phases: Phase[]
}

/** @throws Error where none is stored. */
export function currentPhase({ phases }: StoredPhases): Phase {
  const phase = phases.at(-1)
  if (!phase) throw new Error('An agreement has no phase.')
  return phase
}

/** The phase with which a line's agreement begins. @param placedOn the day on which its order was paid. */
export function firstPhase(request: QuoteRequest, position: number, placedOn: Day): Phase {
  const { offer } = request.lines[position] as { offer: QuotedOffer }
  // Codes reach so many payments or all of them, and a sale price the first or all: what follows costs the same for ever.
  const reached = Math.max(1, ...request.coupons.map(({ payments }) => payments ?? 0))
  const { purchaseDay, lines } = quote({ ...request, horizon: reached + 1 })
  const regular = lines[position]?.payments.filter(({ kind }) => kind === 'regular') ?? []
  const prices: Phase['prices'] = []
  for (const { n, list, price, discount } of regular) {
    const last = prices.at(-1)
    if (last?.list === list && last.price === price && last.discount === discount) continue
    prices.push({ from: n, list, price, discount })
  }
  return {
    from: 1,
    purchaseDay,
    placedOn,
    anchor: anchorOf(offer.terms, purchaseDay),
    terms: offer.terms,
    access: offer.access,
    tax: { mode: request.tax.mode, rate: offer.taxRate ?? request.tax.rate },
    courses: offer.courses,
    prices,
  }
}

/**
 * Regular payments of a subscription by their numbers, `first` to `last` inclusive, however far ahead.
 * @throws Error where the phase is of no subscription, or begins after `first`.
 */
export function paymentsOf(phase: Phase, first: number, last: number): ScheduledPayment[] {
  return Array.from({ length: Math.max(0, last - first + 1) }, (_, index) => paymentOf(phase, first + index))
}

function paymentOf({ from, anchor, terms, tax, prices }: Phase, n: number): ScheduledPayment {
  const cost = prices.findLast((row) => row.from <= n)
  if (terms.kind !== 'subscription' || n < from || !cost) throw new Error(`The phase has no regular payment ${n}.`)
  const { list, price, discount, lowered } = cost
  const due = after(anchor, n - from, terms.every)
  return { n, kind: 'regular', due, list, price, discount, ...(lowered ?? taxOf(price - discount, tax)) }
}

/** What of a payment is lowered. */
type Lowerable = Pick<ScheduledPayment, 'list' | 'price' | 'discount' | 'tax' | 'pay'>

/**
 * A payment without the shares of some courses of its bundle, which were refunded and closed: it loses their parts of
 * split(pay, weights), and its tax likewise (collecting rules, section 6).
 * @param weights of the line's courses, in their order; `places` are those of the courses.
 */
export function withoutShares<P extends Lowerable>(
  payment: P,
  { mode }: Pick<Tax, 'mode'>,
  weights: readonly number[],
  places: readonly number[],
): P {
  const less = (amount: Amount) => {
    const parts = split(amount, weights)
    return places.reduce((left, place) => left - (parts[place] ?? 0), amount)
  }
  const [pay, tax, discount] = [less(payment.pay), less(payment.tax), less(payment.discount)]
  // Tax that is added stands beside the price; else it is inside.
  const price = discount + pay - (mode === 'exclusive' ? tax : 0)
  return { ...payment, list: price + less(payment.list - payment.price), price, discount, tax, pay }
}

/** A phase whose payments from number `from` on are lowered so, and the weights of these courses 0. */
export function lowerPhase(phase: Phase, from: number, courseIds: readonly string[]): Phase {
  const weights = phase.courses.map(({ weight }) => weight)
  const places = phase.courses.flatMap(({ id }, place) => (courseIds.includes(id) ? [place] : []))
  const begun = phase.prices.findLast((row) => row.from <= from)
  const later = [...(begun ? [{ ...begun, from }] : []), ...phase.prices.filter((row) => row.from > from)]
  const lowered = later.map(({ from: n, lowered: before, ...row }): PhasePrice => {
    const charged = before ?? taxOf(row.price - row.discount, phase.tax)
    const { tax, pay, ...cost } = withoutShares({ ...row, ...charged }, phase.tax, weights, places)
    return { from: n, ...cost, lowered: { tax, pay } }
  })
  return {
    ...phase,
    courses: phase.courses.map((course) => (courseIds.includes(course.id) ? { ...course, weight: 0 } : course)),
    prices: [...phase.prices.filter((row) => row.from < from), ...lowered],
  }
}
