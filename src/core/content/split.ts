import type { Amount } from '../money/arithmetic.ts'
import { formatMoney, type MoneyFormat } from '../money/format.ts'
import { readMoney } from '../money/parse.ts'

/** A way to take a price in parts: exactly, the earlier parts carrying the odd units, or in round parts. */
export interface Split {
  count: number
  /** The price in all where it is exact; null where each part is `each`. */
  total: Amount | null
  each: Amount
  /** What the parts come to beyond the price that was split; below 0 where they come to less. */
  difference: Amount
}

/**
 * Proposes parts of a price: the exact ones first, then round ones, the nearest first.
 * @example proposeSplits(130_000, 3)[0] // { count: 3, total: 130_000, each: 43_333, difference: 0 }
 */
export function proposeSplits(total: Amount, count: number): Split[] {
  const exact: Split = { count, total, each: Math.floor(total / count), difference: 0 }
  const full = 10 ** Math.max(0, String(exact.each).length - 2)
  const half = Math.max(1, full / 2)
  const part = total / count
  const each = [Math.ceil(part / half) * half, Math.ceil(part / full) * full, Math.floor(part / half) * half]
  const round = [...new Set(each)]
    .filter((amount) => Number.isInteger(amount) && amount > 0 && amount * count !== total)
    .map((amount): Split => ({ count, total: null, each: amount, difference: amount * count - total }))
    .sort((a, b) => Math.abs(a.difference) - Math.abs(b.difference))
  return [exact, ...round]
}

/** "3 × €435.00 is €5.00 more than paying at once". */
export function formatSplit({ count, total, each, difference }: Split, money: MoneyFormat): string {
  const say = (amount: Amount) => formatMoney(amount, money)
  if (total !== null) {
    const odd = total - each * count
    if (odd === 0) return `${count} × ${say(each)} is exactly ${say(total)}`
    const first = odd === 1 ? `${say(each + 1)}` : `${odd} × ${say(each + 1)}`
    const rest = count - odd === 1 ? `${say(each)}` : `${count - odd} × ${say(each)}`
    return `${first}, then ${rest} is exactly ${say(total)}`
  }
  return `${count} × ${say(each)} is ${say(Math.abs(difference))} ${difference > 0 ? 'more' : 'less'} than paying at once`
}

/** Reads "1,300 in 3"; `why` says what is wrong, in words for the field. */
export function readSplit(
  text: string,
  money: MoneyFormat,
): { ok: true; total: Amount; count: number } | { ok: false; why: string } {
  const found = /^(.*?)\s*(?:\bin\b|\binto\b|\/|÷)\s*(\d{1,4})(?:\s+parts?)?\s*$/i.exec(text.trim())
  if (!found?.[1]) return { ok: false, why: 'Write a price and a number of parts, like “1,300 in 3”.' }
  const price = readMoney(found[1], money)
  if (!price.ok) return { ok: false, why: price.why }
  const count = Number(found[2])
  if (count < 2 || count > 120) return { ok: false, why: 'There are 2 to 120 parts.' }
  if (price.amount < count) return { ok: false, why: 'The price is too small for so many parts.' }
  return { ok: true, total: price.amount, count }
}
