import { formatDay } from '../../core/calendar/formatDay.ts'
import type { Quote } from '../../core/quote/types.ts'
import { formatList } from '../../core/sentence/words.ts'
import { HELD } from '../../core/words/en/notice.ts'
import { say } from '../../core/words/message.ts'
import { type Holding, heldAlready, outlasts, sameOffer } from '../access/heldAlready.ts'
import { grantsOf } from '../access/service.ts'
import type { Services } from '../platform/context.ts'
import { type School, schoolDay } from '../school/service.ts'
import type { Visitor } from '../session/visitor.ts'

/** What the visitor has of a course already, and where they change it. */
export interface HeldView {
  says: string
  label: string
  href: string
}

/**
 * Of what is on sale, what can be bought beside what the visitor has, and what is said of that (selling rules,
 * section 2). Of who is not signed in only the browser that bought just now is known.
 */
export async function beside<T extends { id: string; quote: Quote; membersOf: readonly string[] | null }>(
  services: Services,
  school: School,
  courses: readonly { id: string; title: string }[],
  offers: readonly T[],
  visitor: Visitor,
): Promise<{ buyable: T[]; says: HeldView | null }> {
  const personId = visitor.person?.id ?? (await buyerInBrowser(services, courses, visitor))
  if (!personId) return { buyable: [...offers], says: null }
  const day = await schoolDay(services)
  const byCourse = await Promise.all(
    courses.map(async ({ id, title }) => ({ title, held: await heldAlready(services.db, personId, id, day) })),
  )
  const held = byCourse.flatMap((course) => course.held)
  if (held.length === 0) return { buyable: [...offers], says: null }
  const buyable: T[] = []
  let back: string | null = null
  for (const offer of offers) {
    const [line] = offer.quote.lines
    // Of several courses each must be had for as long.
    if (line && byCourse.every((course) => course.held.some((holding) => outlasts(holding, line, offer.membersOf))))
      continue
    const same = await sameOffer(services.db, held, offer.id, day)
    if (same?.mayComeBack) back = same.agreementId
    if (!same) buyable.push(offer)
  }
  const some = byCourse.filter((course) => course.held.length > 0).map(({ title }) => `“${title}”`)
  if (courses.length > 1 && some.length < courses.length) {
    return { buyable, says: { says: say(HELD.some, { courses: formatList(some) }), ...TO_MY_COURSES } }
  }
  return { buyable, says: formatHeld(school, { held, back, count: courses.length, canBuy: buyable.length > 0 }) }
}

const TO_MY_COURSES = { label: HELD.myCourses, href: '/my' }

/** The buyer who paid in this browser within the hour, whom it still knows. */
async function buyerInBrowser(
  services: Services,
  courses: readonly { id: string }[],
  visitor: Visitor,
): Promise<string | null> {
  for (const { id } of courses) {
    const [grant] = await grantsOf(services, visitor, id)
    if (grant) return grant.personId
  }
  return null
}

/** What somebody has of all `count` courses, in words, and where they change it. */
function formatHeld(
  { language }: School,
  { held, back, count, canBuy }: { held: readonly Holding[]; back: string | null; count: number; canBuy: boolean },
): HeldView {
  const ongoing = held.find(({ state }) => state === 'active' || state === 'stopped')
  if (ongoing?.agreementId) {
    const { nextTry } = ongoing
    const has = nextTry ? say(HELD.paysNext, { count, day: formatDay(nextTry, language) }) : say(HELD.pays, { count })
    const says = canBuy ? say(HELD.overlapOther, { has }) : has
    return { says, label: HELD.payments, href: `/my/plan/${ongoing.agreementId}` }
  }
  const lasting = held.filter(({ membersOf }) => membersOf === null)
  if (lasting.length === 0) {
    const has = say(HELD.asMember, { count })
    return { says: canBuy ? say(HELD.overlap, { has }) : has, ...TO_MY_COURSES }
  }
  const last = lasting.map(({ closes }) => closes).sort((a, b) => (a === null || (b !== null && a > b) ? -1 : 1))[0]
  const until = last ? say(HELD.until, { count, day: formatDay(last, language) }) : say(HELD.has, { count })
  const has = back ? say(HELD.cancelled, { has: until }) : until
  const says = canBuy ? say(HELD.overlap, { has }) : has
  return back ? { says, label: HELD.uncancel, href: `/my/plan/${back}` } : { says, ...TO_MY_COURSES }
}
