import type { Day } from '../calendar/day.ts'
import type { Quote, QuotedLine } from './types.ts'

/** Whether a line has payments after its purchase day. */
export function lineHasLater(
  { untilCancelled, payments }: Pick<QuotedLine, 'untilCancelled' | 'payments'>,
  purchaseDay: Day,
): boolean {
  return untilCancelled || payments.some(({ due }) => due > purchaseDay)
}

/** Whether anything of a quote has. */
export function hasLater({ committed, later }: Pick<Quote, 'committed' | 'later'>): boolean {
  return committed === null || later.length > 0
}
