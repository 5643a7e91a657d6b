import { formatMoney, type MoneyFormat } from '../money/format.ts'
import { hasLater } from '../quote/later.ts'
import type { Quote } from '../quote/types.ts'

/** What a payment method can do, as far as it decides which offers it can collect. Amounts in minor units. */
export interface CollectingMethod {
  name: string
  /** ISO 4217 codes, or any. */
  currencies: readonly string[] | 'any'
  /** Smallest amount of one payment, by currency; absent: 1. */
  smallest: Readonly<Record<string, number>>
  /** Largest amount of one payment, in any currency. */
  largest: number
  /** Can charge again without the buyer there. */
  chargesAgain: boolean
  /** Largest amount of one such later charge, by currency; null: as much as `largest`. */
  againUpTo: Readonly<Record<string, number>> | null
  /** Can keep a method without charging it: for a free trial, or another method later. */
  keepsUnused: boolean
}

/** What an offer asks of the payment method that collects it: today's sum and each later one, in minor units. */
export interface ToCollect {
  currency: string
  today: number
  later: readonly number[]
  /** Payments come after today, be they beyond the quote's horizon. */
  hasLaterPayments: boolean
}

/** Why a payment method cannot collect something. */
export type WhyNot = 'currency' | 'too-small' | 'too-large' | 'no-later' | 'later-too-large' | 'needs-payment-now'

/**
 * What a quote asks for; `today` where the buyer names the price themselves. Later payments are charged line by line,
 * each by itself, also where two are due on one day.
 */
export function toCollect(quote: Quote, currency: string, today: number = quote.today.pay): ToCollect {
  const later = quote.lines.flatMap(({ payments }) =>
    payments.filter(({ due }) => due !== quote.purchaseDay).map(({ pay }) => pay),
  )
  return { currency, today, later, hasLaterPayments: hasLater(quote) }
}

/** Whether a payment method takes money of a currency. */
export function takesCurrency({ currencies }: Pick<CollectingMethod, 'currencies'>, currency: string): boolean {
  return currencies === 'any' || currencies.includes(currency)
}

/** Why a payment method cannot collect something; null where it can. What costs nothing needs no way, and any will do. */
export function whyNot(
  paymentMethod: CollectingMethod,
  { currency, today, later, hasLaterPayments }: ToCollect,
): WhyNot | null {
  if (today === 0 && !hasLaterPayments) return null
  if (!takesCurrency(paymentMethod, currency)) return 'currency'
  const charged = [today, ...later].filter((amount) => amount > 0)
  if (hasLaterPayments && !paymentMethod.chargesAgain) return 'no-later'
  if (hasLaterPayments && today === 0 && !paymentMethod.keepsUnused) return 'needs-payment-now'
  if (charged.some((amount) => amount < (paymentMethod.smallest[currency] ?? 1))) return 'too-small'
  if (charged.some((amount) => amount > paymentMethod.largest)) return 'too-large'
  const most = paymentMethod.againUpTo?.[currency]
  if (most !== undefined && later.some((amount) => amount > most)) return 'later-too-large'
  return null
}

/** Why, in words that go on after the payment method's name: "cannot charge again later". */
export function formatWhyNot(why: WhyNot, paymentMethod: CollectingMethod, format: MoneyFormat): string {
  switch (why) {
    case 'currency':
      return `does not take ${format.currency}`
    case 'no-later':
      return 'cannot charge again later'
    case 'needs-payment-now':
      return 'cannot begin without a payment'
    case 'too-small':
      return `takes nothing below ${formatMoney(paymentMethod.smallest[format.currency] ?? 1, format)}`
    case 'too-large':
      return `takes nothing above ${formatMoney(paymentMethod.largest, format)}`
    case 'later-too-large':
      return `charges later payments up to ${formatMoney(paymentMethod.againUpTo?.[format.currency] ?? 0, format)} only`
  }
}
