import { type Amount, roundRatio, split } from '../money/arithmetic.ts'
import { BANK, DISPUTES, feesOf, OVERPAID, PREPAID, salesOf, VAT } from './accounts.ts'

/** What one account gains or loses by a movement: minor units, a debit above 0 and a credit below. */
export interface Posting {
  account: string
  amount: number
  lineId: string
  paymentId: string
  offerId: string
}

/** A payment as the books know it. */
export interface BookedPayment {
  paymentId: string
  lineId: string
  offerId: string
  /** The product's name in the books. */
  product: string
  /** What the buyer pays, the tax in it, and what the gateway keeps of it. */
  pay: Amount
  tax: Amount
  fee: Amount
}

/** What money is booked as: a sale, or money that the buyer did not owe. */
export type BookedAs = 'sale' | 'overpaid'

/** A payment that was collected, as what. */
export type CollectedPayment = BookedPayment & { as: BookedAs }

/** Postings of one payment; those of nothing are left out. */
function postings(of: Pick<BookedPayment, 'paymentId' | 'lineId' | 'offerId'>, parts: [string, number][]): Posting[] {
  const { paymentId, lineId, offerId } = of
  return parts.flatMap(([account, amount]) => (amount === 0 ? [] : [{ account, amount, lineId, paymentId, offerId }]))
}

/**
 * Payments that were collected: what is left of each after its fee lies in `into`, its price is earned and its tax owed;
 * what was not owed is the buyer's.
 * @returns postings that add up to 0.
 */
export function collected(
  payments: readonly CollectedPayment[],
  { into, method }: { into: string; method: string },
): Posting[] {
  return payments.flatMap((payment) => {
    const { product, pay, tax, fee, as } = payment
    return postings(payment, [
      [into, pay - fee],
      [feesOf(method), fee],
      ...(as === 'sale'
        ? ([
            [salesOf(product), tax - pay],
            [VAT, -tax],
          ] as [string, number][])
        : ([[OVERPAID, -pay]] as [string, number][])),
    ])
  })
}

/** A part of a transfer: money that is the buyer's until their order is complete; shared by what each payment still lacks. */
export function partReceived(payments: readonly (BookedPayment & { missing: Amount })[], amount: Amount): Posting[] {
  const shares = split(
    amount,
    payments.map(({ missing }) => missing),
  )
  return payments.flatMap((payment, index) => {
    const share = shares[index] as number
    return postings(payment, [
      [BANK, share],
      [PREPAID, -share],
    ])
  })
}

/** Money beyond what was asked for, which the buyer will get back; shared as what was asked for is. */
export function surplusReceived(
  payments: readonly BookedPayment[],
  amount: Amount,
  { into, method, fee }: { into: string; method: string; fee: Amount },
): Posting[] {
  const weights = payments.map(({ pay }) => pay)
  const [shares, fees] = [split(amount, weights), split(fee, weights)]
  return payments.flatMap((payment, index) => {
    const [share, part] = [shares[index] as number, fees[index] as number]
    return postings(payment, [
      [into, share - part],
      [feesOf(method), part],
      [OVERPAID, -share],
    ])
  })
}

/** Of a payment: how much of it, and of the tax in it, was not given back yet. */
export interface LeftOfPayment extends BookedPayment {
  left: Amount
  taxLeft: Amount
}

/**
 * Money given back, or lost in a dispute: shared over the payments by what is left of each, with its tax in proportion;
 * what gives back all that is left takes the rest of the tax, so that nothing remains (selling rules, sections 6 and 7).
 */
export function givenBack(
  payments: readonly LeftOfPayment[],
  amount: Amount,
  { from, as }: { from: string; as: BookedAs | 'dispute' },
): Posting[] {
  const left = payments.reduce((sum, payment) => sum + payment.left, 0)
  const shares = split(
    amount,
    // A dispute may take more than is left.
    payments.map((payment) => (amount <= left ? payment.left : payment.pay)),
  )
  return payments.flatMap((payment, index) => {
    const share = shares[index] as number
    const { pay, tax, taxLeft, product } = payment
    const back =
      as === 'overpaid' ? 0 : share >= payment.left ? taxLeft : Math.min(taxLeft, roundRatio(share, tax, pay))
    const lost = { sale: salesOf(product), overpaid: OVERPAID, dispute: DISPUTES }[as]
    return postings(payment, [
      [from, -share],
      [lost, share - back],
      [VAT, back],
    ])
  })
}
