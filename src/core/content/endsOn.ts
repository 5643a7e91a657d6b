import type { Day } from '../calendar/day.ts'
import { opensOn } from '../quote/access.ts'
import type { Access } from '../terms/terms.ts'

/** Why a course could not be open for who buys on a day: its last day is past, or is not after its opening. */
export type AccessProblem = { code: 'ended' | 'closes-before-opening'; until: Day; opens: Day }

/** What keeps an access rule from being sold on a day (pricing rules, section 8); null where nothing does. */
export function accessProblem(access: Access, today: Day): AccessProblem | null {
  const { lasts } = access
  if (typeof lasts === 'string' || !('until' in lasts)) return null
  const opens = opensOn(access, today)
  if (lasts.until > opens) return null
  const isPast = lasts.until <= today
  return { code: isPast ? 'ended' : 'closes-before-opening', until: lasts.until, opens }
}
