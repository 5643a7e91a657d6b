import type { Day, Span } from '../calendar/day.ts'
import { formatDay } from '../calendar/formatDay.ts'
import type { Amount } from '../money/arithmetic.ts'
import { formatMoney, type MoneyFormat } from '../money/format.ts'
import type { ScheduledPayment } from '../quote/types.ts'
import { OFFER } from '../words/en/price.ts'
import { say } from '../words/message.ts'
import { formatEvery, formatList } from './words.ts'

/** Payments of one amount that follow each other. */
export interface Run {
  pay: Amount
  dues: Day[]
  /** Goes on until cancelled. */
  endless: boolean
}

/** Later payments in runs of the same amount; the last run goes on where the line does. */
export function runsOf(payments: readonly ScheduledPayment[], endless: boolean): Run[] {
  const runs: Run[] = []
  for (const { pay, due } of payments) {
    const last = runs.at(-1)
    if (last?.pay === pay) last.dues.push(due)
    else runs.push({ pay, dues: [due], endless: false })
  }
  const last = runs.at(-1)
  if (last) last.endless = endless
  return runs
}

/** Most payments whose days are all said. */
export const MAX_DAYS = 3

/** A run in words, "€43.00 on 28 February and 31 March"; the year is left out where it is `thisYear`. */
export function formatRun({ pay, dues, endless }: Run, every: Span, money: MoneyFormat, thisYear: string): string {
  const amount = formatMoney(pay, money)
  const day = (due: Day) => formatDay(due, money.language, thisYear)
  const first = day(dues[0] as Day)
  if (endless) return say(OFFER.endless, { money: amount, every: formatEvery(every), day: first })
  if (dues.length <= MAX_DAYS) return say(OFFER.onDays, { money: amount, days: formatList(dues.map(day)) })
  return say(OFFER.series, { number: dues.length, money: amount, every: formatEvery(every), day: first })
}
