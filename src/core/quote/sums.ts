import type { Day } from '../calendar/day.ts'
import type { Quote, QuotedLine } from './types.ts'

/** What lines come to together: on the purchase day, on each later day, and in all (null: until cancelled). Minor units. */
export function sums(lines: readonly QuotedLine[], purchaseDay: Day): Pick<Quote, 'today' | 'later' | 'committed'> {
  const today = { price: 0, discount: 0, tax: 0, pay: 0 }
  const byDay = new Map<Day, Quote['later'][number]>()
  const later: Quote['later'] = []
  let isInOrder = true
  let committed: number | null = 0
  for (const { payments, untilCancelled } of lines) {
    for (const { due, price, discount, tax, pay } of payments) {
      if (committed !== null) committed += pay
      if (due !== purchaseDay) {
        const known = byDay.get(due)
        if (known) known.pay += pay
        else {
          const row = { due, pay }
          const last = later.at(-1)
          if (last && last.due > due) isInOrder = false
          byDay.set(due, row)
          later.push(row)
        }
        continue
      }
      today.price += price
      today.discount += discount
      today.tax += tax
      today.pay += pay
    }
    if (untilCancelled) committed = null
  }
  // As a rule they are; then sorting them is the better part of a small quote.
  if (!isInOrder) later.sort((a, b) => (a.due < b.due ? -1 : 1))
  return { today, later, committed }
}

/**
 * Quotes of single offers as one of all of them, bought on one day without a code: what a basket of them comes to.
 * @throws RangeError where there is none.
 */
export function joinQuotes(quotes: readonly Quote[]): Quote {
  const [first] = quotes
  if (!first) throw new RangeError('There is nothing to join.')
  if (quotes.length === 1) return first
  const lines = quotes.flatMap((quote) => quote.lines)
  return { ...first, lines, ...sums(lines, first.purchaseDay), overlaps: overlapsIn(lines) }
}

/** Courses that more than one line opens, in the order in which they first stand (pricing rules, section 5). */
function overlapsIn(lines: readonly QuotedLine[]): string[] {
  const counts = new Map<string, number>()
  for (const { shares } of lines) for (const { course } of shares) counts.set(course, (counts.get(course) ?? 0) + 1)
  return [...counts].flatMap(([course, count]) => (count > 1 ? [course] : []))
}
