import type { Amount } from '../money/arithmetic.ts'
import { codesOn } from '../quote/codes.ts'
import { readStoredQuote } from '../quote/stored.ts'
import type { Quote, QuotedLine, QuoteRequest, ScheduledPayment } from '../quote/types.ts'
import { nameFreeTrial, namePayment } from '../sentence/sentence.ts'
import type { Terms } from '../terms/terms.ts'
import { RECEIPT } from '../words/en/receipt.ts'
import { say } from '../words/message.ts'

/** One payment as a receipt lists it, without tax that is added: `list` less `sale` less `discount` is `price`. */
export interface ReceiptRow {
  /** Place of its line in the order. */
  line: number
  /** "Set-up fee", "First 7 days", "Payment 2 of 3"; null for a payment of its own right. */
  name: string | null
  list: Amount
  /** What a sale took off. */
  sale: Amount
  /** What codes took off, and which. */
  discount: Amount
  codes: string[]
  price: Amount
}

/** What a receipt says of a payment's money. */
type Priced = Pick<ScheduledPayment, 'n' | 'kind' | 'list' | 'price' | 'discount'>

/** What was paid on the purchase day, from an order's stored quote and the document that it was made of. */
export function receiptRows(stored: unknown, quote: Quote): ReceiptRow[] {
  const request = readStoredQuote(stored)
  return quote.lines.flatMap((line, index) => {
    const terms = request.lines[index]?.offer.terms
    if (!terms) return []
    const today = line.payments.filter(({ due }) => due === quote.purchaseDay)
    const rows = today.map((payment) => rowOf(request, quote, index, payment, namePayment(payment, terms)))
    const trial = nameFreeTrial(terms, line)
    return trial === null ? rows : [...rows, { ...NOTHING, line: index, name: trial }]
  })
}

const NOTHING = { list: 0, sale: 0, discount: 0, codes: [], price: 0 }

/** Later payments of one line, by the same: each says which of how many it is. */
export function laterReceiptRows(
  stored: unknown,
  quote: Quote,
  index: number,
  payments: readonly Priced[],
): ReceiptRow[] {
  const request = readStoredQuote(stored)
  const line = quote.lines[index]
  const terms = request.lines[index]?.offer.terms
  if (!line || !terms) throw new RangeError(`The order has no line ${index}.`)
  return payments.map((payment) => rowOf(request, quote, index, payment, nameReceived(payment, terms, line)))
}

/** What a payment that was received is called: "Deposit", "Payment 2 of 3", "Payment 7"; "Payment" where it is the only one. */
export function nameReceived(payment: Pick<Priced, 'n' | 'kind'>, terms: Terms, line: QuotedLine): string {
  const name = namePayment(payment, terms)
  if (name !== null) return name
  const { n } = payment
  if (line.untilCancelled) return say(RECEIPT.paymentNumber, { n })
  const all = line.payments.filter((other) => other.n > 0).length
  return all > 1 ? say(RECEIPT.paymentOf, { n, all }) : RECEIPT.payment
}

function rowOf(
  request: QuoteRequest,
  quote: Quote,
  line: number,
  { n, list, price, discount }: Priced,
  name: string | null,
): ReceiptRow {
  const codes = discount > 0 ? codesOn(request, quote, line, n) : []
  return { line, name, list, sale: list - price, discount, codes, price: price - discount }
}
