import type { Span } from '../calendar/day.ts'
import { PRICE } from '../words/en/price.ts'
import { say } from '../words/message.ts'

const LENGTHS = { day: PRICE.day, week: PRICE.week, month: PRICE.month, year: PRICE.year }
const EVERY = { day: PRICE.everyDay, week: PRICE.everyWeek, month: PRICE.everyMonth, year: PRICE.everyYear }
const RATES = { day: PRICE.aDay, week: PRICE.aWeek, month: PRICE.aMonth, year: PRICE.aYear }

/** A length of time, "7 days", "1 month". */
export function sayLength({ count, unit }: Span): string {
  return say(LENGTHS[unit], { count })
}

/** A repetition, "every month", "every 2 weeks". */
export function sayEvery({ count, unit }: Span): string {
  return say(EVERY[unit], { count })
}

/** A rate of repetition in a list, "a month", "every 3 months". */
export function sayRate(span: Span): string {
  return span.count === 1 ? RATES[span.unit] : sayEvery(span)
}

/** "a", "a and b", "a, b and c". */
export function sayList(items: readonly string[], joint: 'and' | 'or' = 'and'): string {
  if (items.length < 2) return items[0] ?? ''
  return say(PRICE[joint], { first: items.slice(0, -1).reduce(sayListed), last: items.at(-1) ?? '' })
}

const sayListed = (one: string, next: string) => say(PRICE.listed, { one, next })

/** What follows one another: "€43.00 today, then €43.00 on 28 February". */
export function sayThen(parts: readonly string[]): string {
  return parts.length === 0 ? '' : parts.reduce((first, next) => say(PRICE.oneThen, { first, next }))
}

/** Words as they begin a sentence. */
export function beginSentence(words: string): string {
  return words.charAt(0).toUpperCase() + words.slice(1)
}
