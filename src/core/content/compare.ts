import { after, type Day } from '../calendar/day.ts'
import type { Amount } from '../money/arithmetic.ts'
import { type FeeTerms, feeOf } from '../money/fee.ts'
import type { Quote } from '../quote/types.ts'

/** What comes on one day from one buyer. */
export interface Coming {
  due: Day
  pay: Amount
  tax: Amount
  fee: Amount
  /** What the creator keeps: pay − tax − fee. */
  kept: Amount
}

/** One offer as it stands beside others. */
export interface Compared {
  /** Day by day; days on which nothing is paid are left out. */
  comings: Coming[]
  /** All that is paid; null where it goes on until cancelled. */
  all: Amount | null
  /** All that is kept; null where it goes on. */
  kept: Amount | null
  /** What is paid and kept within the first year. */
  firstYear: { pay: Amount; kept: Amount; fees: Amount; payments: number }
  /** By when a buyer has paid as much as `atOnce`; null where they never do within the payments listed. */
  asMuchAsAtOnce: Day | null
}

/**
 * Sums a quote of one line up for comparison. Each day's payments are one charge, with its own fee.
 * `fee` null: no gateway is known, and none is taken off. `atOnce`: the one-time price to hold it against.
 */
export function compareOffer(
  { lines, committed, purchaseDay }: Quote,
  currency: string,
  fee: FeeTerms | null,
  atOnce: Amount | null,
): Compared {
  const byDay = new Map<Day, { pay: Amount; tax: Amount }>()
  for (const { due, pay, tax } of lines.flatMap(({ payments }) => payments)) {
    const sum = byDay.get(due) ?? { pay: 0, tax: 0 }
    byDay.set(due, { pay: sum.pay + pay, tax: sum.tax + tax })
  }
  const comings = [...byDay]
    .filter(([, { pay }]) => pay > 0)
    .map(([due, { pay, tax }]): Coming => {
      const taken = fee ? feeOf(pay, currency, fee) : 0
      return { due, pay, tax, fee: taken, kept: pay - tax - taken }
    })
  const yearEnd = after(purchaseDay, 1, { count: 1, unit: 'year' })
  const inYear = comings.filter(({ due }) => due < yearEnd)
  return {
    comings,
    all: committed,
    kept: committed === null ? null : sum(comings, 'kept'),
    firstYear: {
      pay: sum(inYear, 'pay'),
      kept: sum(inYear, 'kept'),
      fees: sum(inYear, 'fee'),
      payments: inYear.length,
    },
    asMuchAsAtOnce: atOnce === null ? null : reaches(comings, atOnce),
  }
}

function sum(comings: readonly Coming[], of: 'pay' | 'kept' | 'fee'): Amount {
  return comings.reduce((all, coming) => all + coming[of], 0)
}

function reaches(comings: readonly Coming[], target: Amount): Day | null {
  let paid = 0
  for (const { due, pay } of comings) {
    paid += pay
    if (paid >= target) return due
  }
  return null
}

/**
 * What `buyers` who all buy on `start` have brought the creator by the end of month 0, 1, …, `months`
 * after it (month 0: the day of purchase).
 */
export function keptOverTime(comings: readonly Coming[], start: Day, buyers: number, months: number): Amount[] {
  return Array.from({ length: months + 1 }, (_, month) => {
    const until = after(start, month, { count: 1, unit: 'month' })
    return buyers * comings.filter(({ due }) => due <= until).reduce((all, { kept }) => all + kept, 0)
  })
}
