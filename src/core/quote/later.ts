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

/**
 * The first later payment from which all that are listed cost the same: what a subscription costs once a code or a first
 * price has run out. Null where the next payment is that already, or nothing is to come.
 *
 * @example
 * steadyFrom({ later: [{ due: '2026-12-15', pay: 900 }, { due: '2027-01-15', pay: 1900 }] }) // { due: '2027-01-15', pay: 1900 }
 */
export function steadyFrom<P extends { pay: number }>({ later }: { later: readonly P[] }): P | null {
  const last = later.at(-1)
  const differs = later.findLastIndex(({ pay }) => pay !== last?.pay)
  return differs < 0 ? null : (later[differs + 1] ?? null)
}
