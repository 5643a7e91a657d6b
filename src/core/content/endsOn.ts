import type { Day } from '../calendar/day.ts'
import { opensOn } from '../quote/access.ts'
import { openingDay } from '../quote/courseDay.ts'
import type { DraftAccess } from './offer.ts'

/** Why a course could not be open for who buys on a day: its last day is past, or is not after its opening. */
export type AccessProblem = { code: 'ended' | 'closes-before-opening'; until: Day; opens: Day }

/**
 * Why an offer with this access rule cannot be sold on a day (pricing rules, section 8); null where it can.
 * @param days the opening days of its courses: it can be sold as long as one of them opens before access ends.
 */
export function accessProblem(
  access: DraftAccess,
  today: Day,
  days: readonly (Day | null)[] = [],
): AccessProblem | null {
  const { lasts } = access
  if (typeof lasts === 'string' || !('until' in lasts)) return null
  const first = opensOn(access, today)
  const [opens = first] = days.map((day) => openingDay(first, day)).sort()
  if (lasts.until > opens) return null
  const isPast = lasts.until <= today
  return { code: isPast ? 'ended' : 'closes-before-opening', until: lasts.until, opens }
}
