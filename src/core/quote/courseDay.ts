import { type Day, later } from '../calendar/day.ts'
import type { Access, Terms } from '../terms/terms.ts'
import { closesOnceIn, opensOn } from './access.ts'

/** What the day on which a course opens makes of an offer's access (selling rules, section 2a). */

/** The day on which a course opens for a line that opens on `opens`: the later of the two. @param day null: none. */
export function openingDay(opens: Day, day: Day | null): Day {
  return day === null ? opens : later(opens, day)
}

/** Whether a course can be open at all: one that opens on or after a fixed end of its access is not included. */
function isIncluded({ lasts }: Pick<Access, 'lasts'>, day: Day | null): boolean {
  return day === null || typeof lasts === 'string' || !('until' in lasts) || lasts.until > day
}

/** The courses of those that an access rule opens, as far as they are included. */
export function includedIn<C extends { opens?: Day | null }>(
  courses: readonly C[],
  access: Pick<Access, 'lasts'>,
): C[] {
  return courses.filter(({ opens }) => isIncluded(access, opens ?? null))
}

/** What decides when a course is open, of one that opens on a day of its own: a span counts from there. */
export function openingOn<B extends { access: Access }>(basis: B, opens: Day): B {
  return { ...basis, access: { ...basis.access, from: opens } }
}

/** What an order's line says of when its courses open, of which a course has its own day. */
export interface OpeningTerms {
  access: Access
  terms: Terms
  /** The offer's own first day; null: with the purchase. */
  from: Day | null
}

/**
 * From when until when a course is open by a line that is paid on `placedOn`. `closes` is null for good, and for what is
 * open while it is paid.
 * @param opens the day on which it opens.
 */
export function closesBy({ access, terms }: OpeningTerms, opens: Day, placedOn: Day): Day | null {
  if (access.lasts === 'whilePaying') return null
  return closesOnceIn(openingOn({ access }, opens).access, terms, placedOn, 0, placedOn)
}

/** The day on which a line opens that is paid on `placedOn`, whatever its courses say. */
export function opensBy({ access, from }: OpeningTerms, placedOn: Day): Day {
  return opensOn({ ...access, from }, placedOn)
}
