import { formatMoney } from '../../core/money/format.ts'
import { readMoney } from '../../core/money/parse.ts'
import { taxOf } from '../../core/quote/tax.ts'
import type { OpenPriceTerms } from '../../core/terms/terms.ts'
import { CHECKOUT } from '../../core/words/en/checkout.ts'
import { say } from '../../core/words/message.ts'
import type { PaymentMethod, ShopPage } from '../../server/client.ts'
import type { Answer } from './useServerQuote.ts'

/** The price that a buyer names, in minor units. */
export interface OwnPrice {
  /** Null where it cannot be read. */
  amount: number | null
  /** What is paid for it, tax included; null where it cannot be read. */
  pay: number | null
  /** Why it cannot be paid. */
  why?: string
}

/** The price that the buyer names: as typed, or the suggested one before they type. `rate` in basis points. */
export function ownPriceOf(
  typed: string | null,
  terms: OpenPriceTerms,
  rate: number,
  { school }: Pick<ShopPage, 'school'>,
): OwnPrice {
  const read = typed === null ? ({ ok: true, amount: terms.suggested } as const) : readMoney(typed, school)
  if (!read.ok) return { amount: null, pay: null, why: read.why }
  const { pay } = taxOf(read.amount, { mode: school.taxMode, rate })
  const why =
    read.amount < terms.minimum ? say(CHECKOUT.minimum, { money: formatMoney(terms.minimum, school) }) : undefined
  return why ? { amount: read.amount, pay, why } : { amount: read.amount, pay }
}

/** The same once the server has said what it comes to, or what is wrong with it. */
export function ownPriceBy(answer: Answer, estimate: OwnPrice, extrasPay: number): OwnPrice {
  if ('quote' in answer) return { ...estimate, pay: answer.quote.today.pay - extrasPay }
  return answer.of === 'price' ? { ...estimate, why: answer.why } : estimate
}

/** From which price on somebody can be paid at all. */
export function formatTooSmall(
  paymentMethods: readonly PaymentMethod[],
  { school }: Pick<ShopPage, 'school'>,
): string | undefined {
  const least = paymentMethods.map(({ can }) => can.smallest[school.currency] ?? 1)
  return least.length === 0 ? undefined : say(CHECKOUT.minimum, { money: formatMoney(Math.min(...least), school) })
}
