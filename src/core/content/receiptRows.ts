import type { Amount } from '../money/arithmetic.ts'
import { readStoredQuote } from '../quote/stored.ts'
import type { Quote } from '../quote/types.ts'
import { todayInParts } from '../sentence/sentence.ts'

/** What was paid on the purchase day, as a receipt lists it: before tax that is added, after what was taken off. */
export interface ReceiptRow {
  /** Place of its line in the order. */
  line: number
  /** "Set-up fee", "First 7 days"; null for a payment of its own right. */
  name: string | null
  price: Amount
}

/** The rows of an order's receipt, from its stored quote and the document that it was made of. */
export function receiptRows(stored: unknown, { lines, purchaseDay }: Quote): ReceiptRow[] {
  const asked = readStoredQuote(stored).lines
  return lines.flatMap((line, index) => {
    const terms = asked[index]?.offer.terms
    if (!terms) return []
    const bare = {
      ...line,
      payments: line.payments.map((payment) => ({ ...payment, pay: payment.price - payment.discount })),
    }
    return todayInParts({ terms, line: bare, purchaseDay }).map(({ name, pay }) => ({ line: index, name, price: pay }))
  })
}
