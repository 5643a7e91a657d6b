import { type Amount, LARGEST_AMOUNT } from './arithmetic.ts'
import { currencyDigits } from './currency.ts'
import { formatMoney, type MoneyFormat, separatorsOf } from './format.ts'

/** What a typed price was read as; `ambiguous` where another school would have read it otherwise. */
export type ReadMoney = { ok: true; amount: Amount; ambiguous: boolean } | { ok: false; why: string }

/**
 * Reads a price as people type it: `1299`, `1299,5`, `1.299,50`, `1,299.50`, `€ 1 299.50`.
 * A lone separator before exactly three digits could be read in two ways, and is read as the
 * school's language writes numbers. Never rounds: more decimals than the currency has are refused.
 * @example readMoney('1.299,50', { currency: 'EUR', language: 'de' }) // { ok: true, amount: 129_950, ambiguous: false }
 */
export function readMoney(typed: string, format: MoneyFormat): ReadMoney {
  const text = withoutSigns(typed, format.currency)
  if (text === '') return { ok: false, why: 'Write a price.' }
  if (/^[-−]/.test(text)) return { ok: false, why: 'A price cannot be below zero.' }
  if (!/^\d[\d.,'’]*$/.test(text)) {
    return { ok: false, why: 'Write the price in figures, like 1299 or 1299.50.' }
  }
  const parts = separate(text.replace(/['’]/g, ''), separatorsOf(format.language).decimal)
  if (!parts) return { ok: false, why: 'This is not a number. Try 1299.50.' }
  return toAmount(parts, format)
}

interface Parts {
  whole: string
  decimals: string
  ambiguous: boolean
}

/** Drops blanks and the currency's sign or code around the figures. */
function withoutSigns(typed: string, currency: string): string {
  const sign = new Intl.NumberFormat('en', { style: 'currency', currency, currencyDisplay: 'narrowSymbol' })
    .formatToParts(0)
    .find((part) => part.type === 'currency')?.value
  // "149.-" and "149,–" are ways to write that there are no cents.
  const none = '0'.repeat(currencyDigits(currency))
  let text = typed
    .replace(/\s/gu, '')
    .replace(/(\d)([.,]?)[-‐‑‒–—−]{1,2}(?=\D*$)/u, (_all, digit: string, mark: string) =>
      mark && none ? digit + mark + none : digit,
    )
  for (const mark of [sign, currency, currency.toLowerCase()]) {
    if (mark && text.startsWith(mark)) text = text.slice(mark.length)
    if (mark && text.endsWith(mark)) text = text.slice(0, -mark.length)
  }
  return text
}

function separate(text: string, schoolDecimal: string): Parts | null {
  const marks: string[] = text.match(/[.,]/g) ?? []
  const last = marks.at(-1)
  if (!last) return { whole: text, decimals: '', ambiguous: false }
  const cut = text.lastIndexOf(last)
  const before = text.slice(0, cut)
  const after = text.slice(cut + 1)
  const other = last === '.' ? ',' : '.'
  if (marks.includes(other)) {
    // Both marks: the last one is the decimal mark and may stand only once.
    if (before.includes(last) || !isGrouped(before, other)) return null
    return { whole: before.replaceAll(other, ''), decimals: after, ambiguous: false }
  }
  if (marks.length > 1) {
    return isGrouped(text, last) ? { whole: text.replaceAll(last, ''), decimals: '', ambiguous: false } : null
  }
  if (after.length === 3 && /^[1-9]\d{0,2}$/.test(before)) {
    return last === schoolDecimal
      ? { whole: before, decimals: after, ambiguous: true }
      : { whole: before + after, decimals: '', ambiguous: true }
  }
  return { whole: before, decimals: after, ambiguous: false }
}

function isGrouped(text: string, mark: string): boolean {
  const [first, ...rest] = text.split(mark)
  return /^\d{1,3}$/.test(first ?? '') && rest.every((group) => /^\d{3}$/.test(group))
}

function toAmount({ whole, decimals, ambiguous }: Parts, format: MoneyFormat): ReadMoney {
  const digits = currencyDigits(format.currency)
  if (decimals.length > digits) {
    const has = digits === 0 ? 'no decimals' : `${digits} decimals`
    const hint = ambiguous ? ` If you mean ${whole}${decimals}, write it without the mark.` : ''
    return { ok: false, why: `${format.currency} has ${has}, this has ${decimals.length}.${hint}` }
  }
  const amount = Number(whole + decimals.padEnd(digits, '0'))
  if (amount > LARGEST_AMOUNT) {
    return { ok: false, why: `The largest price is ${formatMoney(LARGEST_AMOUNT, format)}.` }
  }
  return { ok: true, amount, ambiguous }
}
