import { toCollect, whyNot } from '../../core/paymentMethods/collects.ts'
import { hasLater } from '../../core/quote/later.ts'
import { joinQuotes } from '../../core/quote/sums.ts'
import type { Quote } from '../../core/quote/types.ts'
import type { PaymentMethod } from '../../server/client.ts'

/** The payment methods that can collect a quote of which `pay` is due today, in the creator's order. */
export function methodsFor(
  paymentMethods: readonly PaymentMethod[],
  quote: Quote,
  pay: number,
  currency: string,
): PaymentMethod[] {
  const need = toCollect(quote, currency, pay)
  return paymentMethods.filter(({ can }) => whyNot(can, need) === null)
}

/** Whether any payment method can collect several offers in one order. */
export function canBeTogether(
  paymentMethods: readonly PaymentMethod[],
  offers: readonly { quote: Quote }[],
  currency: string,
): boolean {
  const quote = joinQuotes(offers.map((one) => one.quote))
  const { pay } = quote.today
  const isFree = pay === 0 && !hasLater(quote)
  return isFree || methodsFor(paymentMethods, quote, pay, currency).length > 0
}

/** A payment method that collects some of what is ordered, and the things that it cannot. */
export interface MissingMethod {
  method: string
  /** By their places among the lines: the first is 0. */
  without: number[]
}

/** Methods that could collect a part: of a thing alone, or of what would be left without the ones that it cannot. */
export function missingFor(
  paymentMethods: readonly PaymentMethod[],
  lines: readonly { quote: Quote }[],
  able: readonly PaymentMethod[],
  currency: string,
): MissingMethod[] {
  return paymentMethods.flatMap((method) => {
    if (able.some(({ connectionId }) => connectionId === method.connectionId)) return []
    const without = lines.flatMap(({ quote }, index) =>
      methodsFor([method], quote, quote.today.pay, currency).length > 0 ? [] : [index],
    )
    return without.length < lines.length ? [{ method: method.method, without }] : []
  })
}
