import { formatMoney, type MoneyFormat } from '../money/format.ts'
import type { Quote } from '../quote/types.ts'
import { CODES } from '../words/en/codes.ts'
import { say } from '../words/message.ts'

/** What a code takes off, in words: of today's payments, of later ones, or of both. Minor units. */
export function formatSaves(saves: number, { today }: Pick<Quote, 'today'>, money: MoneyFormat): string {
  if (saves === 0) return CODES.savesNothing
  const words = today.discount === 0 ? CODES.savesOnlyLater : saves > today.discount ? CODES.savesLater : CODES.saves
  return say(words, { money: formatMoney(saves, money) })
}

/** The codes that took something off an order, each with what: "€12.90 off". */
export function formatCodes(quote: Quote, money: MoneyFormat): { code: string; says: string }[] {
  return quote.codes.flatMap((code) =>
    code.counts ? [{ code: code.code, says: formatSaves(code.saves, quote, money) }] : [],
  )
}
