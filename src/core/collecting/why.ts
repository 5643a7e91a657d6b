import { addDays, type Day } from '../calendar/day.ts'
import { formatDay } from '../calendar/formatDay.ts'
import { opensOn } from '../quote/access.ts'
import { formatTitles } from '../sentence/words.ts'
import { type AccessBasis, closesAsItStands, isWithoutGrace, regularPaidOf, suspendedForDebt } from './access.ts'
import type { Agreement } from './agreement.ts'

interface Reasons {
  phase: AccessBasis
  agreement: Agreement
  /** The day on which it is asked. */
  today: Day
  method: string | null
  language: string
}

/**
 * Why a course is open until when, or shut since when, in words: "Open until 4 April: paid through 1 April, plus
 * 3 days of grace; payment 5 of 12 collected on 1 March by card ending 4821." All of it is read off the agreement.
 */
export function formatWhyOpen({ phase, agreement, today, method, language }: Reasons): string {
  const day = (when: Day) => formatDay(when, language)
  const closes = closesAsItStands(phase, agreement, 0)
  const suspendedFrom = suspendedForDebt(phase, agreement)
  const { graceDays, lasts } = phase.access
  const opens = opensOn(phase.access, phase.placedOn)
  const grace = `${graceDays} ${graceDays === 1 ? 'day' : 'days'} of grace`
  const count = agreement.endless ? '' : ` of ${agreement.payments.length}`
  const collected =
    agreement.collected > 0
      ? `payment ${agreement.collected}${count} collected on ${day(agreement.lastCollected)}${method ? ` by ${method}` : ''}`
      : 'nothing due so far'
  if (agreement.cancelled?.when === 'now') return `Closed on ${day(agreement.cancelled.on)}: cancelled on that day.`
  const open = opens > today ? `Opens on ${day(opens)}, ` : 'Open '
  const until =
    closes === null
      ? `${open}for good`
      : closes <= today
        ? `Closed since ${day(closes)}`
        : `${open}until ${day(closes)}`
  if (lasts === 'whilePaying' && closes && isWithoutGrace(agreement, regularPaidOf(agreement))) {
    return `${until}: cancelled on ${day(agreement.cancelled?.on ?? closes)}, before the first regular payment; ${collected}.`
  }
  if (lasts === 'whilePaying' && closes) {
    const plus = graceDays > 0 ? `, plus ${grace}` : ''
    return `${until}: paid through ${day(addDays(closes, -graceDays))}${plus}; ${collected}.`
  }
  const next = agreement.payments[agreement.collected]
  const isOver = closes !== null && closes <= today
  if (!suspendedFrom || !next || isOver || agreement.state === 'completed') return `${until}; ${collected}.`
  if (suspendedFrom <= today) {
    const over = graceDays > 0 ? `, and its ${grace} are over` : ''
    return `Paused since ${day(suspendedFrom)}: the payment due on ${day(next.due)} is not paid${over}; ${collected}.`
  }
  const after = graceDays > 0 ? `, after ${grace}` : ''
  return `${until}, as long as the payment due on ${day(next.due)} is paid; otherwise access is paused on ${day(suspendedFrom)}${after}; ${collected}.`
}

interface Given {
  opens: Day
  closes: Day | null
  /** Why it was given by hand; null where it was bought. */
  note: string | null
  /** The membership on which it hangs: of what, and since when it is over; null where it hangs on none. */
  membership?: { of: readonly string[]; isOpen: boolean; since: Day | null } | null
  today: Day
  language: string
}

/** Why a course is open until when, where nothing more is to be paid: it was bought, or given by hand. */
export function formatWhyGiven({ opens, closes, note, membership = null, today, language }: Given): string {
  const day = (when: Day) => formatDay(when, language)
  const how = note === null ? 'bought' : `given by the school${note ? `, “${note}”` : ''}`
  if (membership && !membership.isOpen) {
    const since = membership.since ? ` since ${day(membership.since)}` : ''
    return `Closed${since}: the membership in ${formatTitles(membership.of, 'or')} has ended. A new one opens it again; ${how}.`
  }
  if (opens > today) return `Opens on ${day(opens)}: ${how}.`
  if (closes !== null && closes <= today) return `Closed since ${day(closes)}; it was open from ${day(opens)}: ${how}.`
  if (membership) {
    return `Open as long as the membership in ${formatTitles(membership.of, 'or')} lasts, from ${day(opens)}: ${how}.`
  }
  return `${closes === null ? 'Open for good' : `Open until ${day(closes)}`}, from ${day(opens)}: ${how}.`
}
