import type { Amount } from '../money/arithmetic.ts'
import { readQuoteRequest } from '../quote/read.ts'
import type { Quote } from '../quote/types.ts'
import { todayInParts } from '../sentence/sentence.ts'

/** What was paid on the purchase day, as a receipt lists it: before tax that is added, after what was taken off. */
export interface ReceiptRow {
  /** "Set-up fee", "First 7 days"; null for a payment of its own right. */
  name: string | null
  price: Amount
}

/** The rows of an order's receipt, from its stored quote and the document that it was made of. */
export function receiptRows(quoteInput: unknown, { lines, purchaseDay }: Quote): ReceiptRow[] {
  const asked = readQuoteRequest(quoteInput).lines
  return lines.flatMap((line, index) => {
    const terms = asked[index]?.offer.terms
    if (!terms) return []
    const bare = {
      ...line,
      payments: line.payments.map((payment) => ({ ...payment, pay: payment.price - payment.discount })),
    }
    return todayInParts({ terms, line: bare, purchaseDay }).map(({ name, pay }) => ({ name, price: pay }))
  })
}
