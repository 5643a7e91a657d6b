import type { Span } from '../calendar/day.ts'

/** A length of time, "7 days", "1 month". */
export function sayLength({ count, unit }: Span): string {
  return `${count} ${unit}${count === 1 ? '' : 's'}`
}

/** A repetition, "every month", "every 2 weeks". */
export function sayEvery({ count, unit }: Span): string {
  return count === 1 ? `every ${unit}` : `every ${count} ${unit}s`
}

/** A rate of repetition in a list, "a month", "every 3 months". */
export function sayRate(span: Span): string {
  return span.count === 1 ? `a ${span.unit}` : sayEvery(span)
}

/** "a", "a and b", "a, b and c". */
export function sayList(items: readonly string[], joint: 'and' | 'or' = 'and'): string {
  return items.length < 2 ? (items[0] ?? '') : `${items.slice(0, -1).join(', ')} ${joint} ${items.at(-1)}`
}

/** Words as they begin a sentence. */
export function beginSentence(words: string): string {
  return words.charAt(0).toUpperCase() + words.slice(1)
}
