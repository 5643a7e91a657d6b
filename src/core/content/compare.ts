import { after, type Day } from '../calendar/day.ts'
import type { Amount } from '../money/arithmetic.ts'
import { type FeeTerms, feeOf } from '../money/fee.ts'
import type { ScheduledPayment } from '../quote/types.ts'
import type { OfferInWords } from '../sentence/sentence.ts'

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
  /** All that is kept, and what fees take; null where it goes on. */
  kept: Amount | null
  fees: Amount | null
  /** What is paid and kept within the first year. */
  firstYear: { pay: Amount; kept: Amount; fees: Amount; payments: number }
  /** By when a buyer has paid as much as `atOnce`; null where they never do within the time that was looked at. */
  asMuchAsAtOnce: Day | null
}

/**
 * Sums an offer up for comparison. Each day's payments are one charge, with its own fee; what goes on
 * until cancelled is followed through `until`. `fee` null: no gateway is known, and none is taken off.
 * `atOnce`: the one-time price to hold it against, tax included.
 */
export function compareOffer(priced: OfferInWords, fee: FeeTerms | null, atOnce: Amount | null, until: Day): Compared {
  const { line, purchaseDay, money } = priced
  const byDay = new Map<Day, { pay: Amount; tax: Amount }>()
  for (const { due, pay, tax } of [...line.payments, ...goingOn(priced, until)]) {
    const sum = byDay.get(due) ?? { pay: 0, tax: 0 }
    byDay.set(due, { pay: sum.pay + pay, tax: sum.tax + tax })
  }
  const comings = [...byDay]
    .filter(([, { pay }]) => pay > 0)
    .map(([due, { pay, tax }]): Coming => {
      const taken = fee ? feeOf(pay, money.currency, fee) : 0
      return { due, pay, tax, fee: taken, kept: pay - tax - taken }
    })
  const yearEnd = after(purchaseDay, 1, { count: 1, unit: 'year' })
  const inYear = comings.filter(({ due }) => due < yearEnd)
  return {
    comings,
    all: line.untilCancelled ? null : sum(comings, 'pay'),
    kept: line.untilCancelled ? null : sum(comings, 'kept'),
    fees: line.untilCancelled ? null : sum(comings, 'fee'),
    firstYear: {
      pay: sum(inYear, 'pay'),
      kept: sum(inYear, 'kept'),
      fees: sum(inYear, 'fee'),
      payments: inYear.length,
    },
    asMuchAsAtOnce: atOnce === null ? null : reaches(comings, atOnce),
  }
}

/** The payments after those that a quote lists, of a line that goes on until cancelled. */
function goingOn({ terms, line }: OfferInWords, until: Day): Pick<ScheduledPayment, 'due' | 'pay' | 'tax'>[] {
  const regular = line.payments.filter(({ kind }) => kind === 'regular')
  const [first, last] = [regular[0], regular.at(-1)]
  if (!line.untilCancelled || !first || !last || terms.kind !== 'subscription') return []
  const more: Pick<ScheduledPayment, 'due' | 'pay' | 'tax'>[] = []
  for (let n = regular.length; ; n++) {
    const due = after(first.due, n, terms.every)
    if (due > until) return more
    more.push({ due, pay: last.pay, tax: last.tax })
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
 * What `buyers` who all buy on `start` have brought the creator on that day (month 0), and in the 1, …, `months` months
 * from it: the payment that is due when the next year begins is not of this one.
 */
export function keptOverTime(comings: readonly Coming[], start: Day, buyers: number, months: number): Amount[] {
  return Array.from({ length: months + 1 }, (_, month) => {
    const until = after(start, month, { count: 1, unit: 'month' })
    return (
      buyers *
      comings.filter(({ due }) => (month === 0 ? due === start : due < until)).reduce((all, { kept }) => all + kept, 0)
    )
  })
}
