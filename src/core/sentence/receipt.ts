import { formatDay } from '../calendar/formatDay.ts'
import type { ReceiptRow } from '../content/receiptRows.ts'
import type { Amount } from '../money/arithmetic.ts'
import { formatMoney, formatRate, type MoneyFormat } from '../money/format.ts'
import { lineHasLater } from '../quote/later.ts'
import { readStoredQuote } from '../quote/stored.ts'
import type { Quote } from '../quote/types.ts'
import type { Tax } from '../terms/terms.ts'
import { RECEIPT } from '../words/en/receipt.ts'
import { say } from '../words/message.ts'
import { MAX_DAYS } from './runs.ts'
import { formatLaterPayments } from './sentence.ts'
import { formatList } from './words.ts'

/** The amounts of a receipt: rows by what was paid for, tax, and what was paid. */
export interface ReceiptAmounts {
  rows: readonly ReceiptRow[]
  taxMode: Tax['mode']
  /** Tax by rate, in basis points. */
  taxes: readonly { rate: number; tax: Amount }[]
  paid: Amount
}

/** One line of a receipt. `less` is below zero; a reader adds `thing`, `less` and `tax` to `paid`. */
export interface ReceiptEntry {
  kind: 'thing' | 'less' | 'sum' | 'tax' | 'paid' | 'inside'
  label: string
  amount: Amount
}

/**
 * The lines of a receipt: what each thing costs in the list, what was taken off, tax that is added, what was paid, and the
 * tax inside. Page, message, file and order all show these.
 * @param things what was bought, line by line.
 */
export function receiptEntries(
  things: readonly { course: string; offer: string }[],
  { rows, taxMode, taxes, paid }: ReceiptAmounts,
  language: string,
): ReceiptEntry[] {
  const taxLines = (words: string, kind: 'tax' | 'inside') =>
    taxes.map(({ rate, tax }) => ({ kind, label: say(words, { rate: formatRate(rate, language) }), amount: tax }))
  return [
    ...things.flatMap(({ course, offer }, index): ReceiptEntry[] => {
      const own = rows.filter(({ line }) => line === index)
      if (own.length === 0) return [{ kind: 'thing', label: say(RECEIPT.row, { course, offer }), amount: 0 }]
      return own.flatMap((row) => [
        {
          kind: 'thing',
          label:
            row.name === null
              ? say(RECEIPT.row, { course, offer })
              : say(RECEIPT.namedRow, { course, offer, name: row.name }),
          amount: row.list,
        },
        ...reductionsOf(row, rows.length > 1),
      ])
    }),
    ...(taxMode === 'exclusive' ? taxLines(RECEIPT.vat, 'tax') : []),
    { kind: 'paid', label: RECEIPT.paid, amount: paid },
    ...(taxMode === 'inclusive' ? taxLines(RECEIPT.vatInside, 'inside') : []),
  ]
}

/** What was taken off, and what is left of it where other things follow. */
function reductionsOf({ sale, discount, codes, price }: ReceiptRow, isSummed: boolean): ReceiptEntry[] {
  if (sale === 0 && discount === 0) return []
  const code = say(RECEIPT.codes, { count: codes.length, codes: formatList(codes) })
  return [
    ...(sale > 0 ? [{ kind: 'less' as const, label: RECEIPT.sale, amount: -sale }] : []),
    ...(discount > 0 ? [{ kind: 'less' as const, label: code, amount: -discount }] : []),
    ...(isSummed ? [{ kind: 'sum' as const, label: RECEIPT.reduced, amount: price }] : []),
  ]
}

/**
 * What an order with several things that are paid over time charges later: a sentence for each, until when and how much
 * in all, and what all of it comes to. Empty where one thing or none is: its own sentence says it.
 * @param titles what the order's lines are called.
 */
export function formatLaterOfSeveral(
  stored: unknown,
  { lines, purchaseDay, committed }: Quote,
  titles: readonly string[],
  money: MoneyFormat,
): string[] {
  const request = readStoredQuote(stored)
  const over = lines.flatMap((line, index) => {
    const asked = request.lines[index]?.offer
    return asked && lineHasLater(line, purchaseDay) ? [{ line, asked, course: titles[index] ?? '' }] : []
  })
  if (over.length < 2) return []
  const thisYear = purchaseDay.slice(0, 4)
  const each = over.map(({ line, asked: { terms, access }, course }) => {
    const values = { course, payments: formatLaterPayments({ terms, access, line, purchaseDay, money }) }
    if (line.untilCancelled) return say(RECEIPT.later, values)
    const dues = line.payments.filter(({ due }) => due > purchaseDay).map(({ due }) => due)
    const all = formatMoney(
      line.payments.reduce((sum, { pay }) => sum + pay, 0),
      money,
    )
    // A longer run names its first day alone.
    if (dues.length <= MAX_DAYS) return say(RECEIPT.laterUntil, { ...values, all })
    return say(RECEIPT.laterUntilDay, { ...values, all, day: formatDay(dues.at(-1) ?? '', money.language, thisYear) })
  })
  return committed === null ? each : [...each, say(RECEIPT.laterInAll, { money: formatMoney(committed, money) })]
}
