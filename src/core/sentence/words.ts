import type { Span } from '../calendar/day.ts'
import { LIST, PRICE } from '../words/en/price.ts'
import { say } from '../words/message.ts'

/** A length of time, "7 days", "1 month". */
export function formatLength({ count, unit }: Span): string {
  return say(PRICE.lengths[unit], { count })
}

/** A repetition, "every month", "every 2 weeks". */
export function formatEvery({ count, unit }: Span): string {
  return say(PRICE.every[unit], { count })
}

/** A rate of repetition in a list, "a month", "every 3 months". */
export function formatRate(span: Span): string {
  return span.count === 1 ? PRICE.rates[span.unit] : formatEvery(span)
}

/**
 * "a", "a and b", "a, b and c".
 * @example formatList(['paper', 'linen', 'thread'], 'or') // 'paper, linen or thread'
 */
export function formatList(items: readonly string[], joint: 'and' | 'or' = 'and'): string {
  if (items.length < 2) return items[0] ?? ''
  return say(LIST[joint], { first: items.slice(0, -1).reduce(formatListed), last: items.at(-1) ?? '' })
}

const formatListed = (one: string, next: string) => say(LIST.more, { one, next })

/**
 * Titles in a sentence: one as it is, several each in quotation marks, since a title may hold an "and" itself.
 * @example formatTitles(['Paper', 'Pulp and press']) // '“Paper” and “Pulp and press”'
 */
export function formatTitles(titles: readonly string[], joint: 'and' | 'or' = 'and'): string {
  return titles.length < 2 ? (titles[0] ?? '') : say(LIST.quoted, { titles: titlesInQuotes(titles, joint) })
}

/**
 * Joins titles for a message that has the outer quotation marks itself: “{course}”.
 * @example titlesInQuotes(['Paper', 'Pulp']) // 'Paper” and “Pulp'
 */
export function titlesInQuotes(titles: readonly string[], joint: 'and' | 'or' = 'and'): string {
  if (titles.length < 2) return titles[0] ?? ''
  const first = titles.slice(0, -1).reduce((one, next) => say(LIST.titles.more, { one, next }))
  return say(LIST.titles[joint], { first, last: titles.at(-1) ?? '' })
}

/**
 * What follows one another: "€43.00 today, then €43.00 on 28 February".
 * @example formatThen(['€43.00 today', '€43.00 on 28 February']) // '€43.00 today, then €43.00 on 28 February'
 */
export function formatThen(parts: readonly string[]): string {
  return parts.length === 0 ? '' : parts.reduce((first, next) => say(PRICE.oneThen, { first, next }))
}

/** Words as they begin a sentence. */
export function beginSentence(words: string): string {
  return words.charAt(0).toUpperCase() + words.slice(1)
}
