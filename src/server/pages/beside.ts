import { formatDay } from '../../core/calendar/formatDay.ts'
import { HELD } from '../../core/words/en/notice.ts'
import { say } from '../../core/words/message.ts'
import { type Holding, heldAlready, outlasts, sameOffer } from '../access/heldAlready.ts'
import { grantsOf } from '../access/service.ts'
import type { SellableCourse } from '../catalogue/sellable.ts'
import type { Services } from '../platform/context.ts'
import { type School, schoolDay } from '../school/service.ts'
import type { Visitor } from '../session/visitor.ts'
import type { CheckoutView, ShopOffer } from '../views/data.ts'

/**
 * Of what is on sale, what can be bought beside what the visitor has, and what is said of that (selling rules,
 * section 2). Of who is not signed in only the browser that bought just now is known.
 */
export async function beside(
  services: Services,
  school: School,
  course: SellableCourse,
  offers: ShopOffer[],
  visitor: Visitor,
): Promise<{ buyable: ShopOffer[]; says: CheckoutView['held'] }> {
  const personId = visitor.person?.id ?? (await buyerInBrowser(services, course.id, visitor))
  if (!personId) return { buyable: offers, says: null }
  const day = await schoolDay(services)
  const held = await heldAlready(services.db, personId, course.id, day)
  if (held.length === 0) return { buyable: offers, says: null }
  const kept: ShopOffer[] = []
  let back: string | null = null
  for (const offer of offers) {
    const [line] = offer.quote.lines
    if (line && held.some((holding) => outlasts(holding, line))) continue
    const same = await sameOffer(services.db, held, offer.id, day)
    if (same?.mayComeBack) back = same.agreementId
    if (!same) kept.push(offer)
  }
  return { buyable: kept, says: formatHeld(school, held, back, kept.length > 0) }
}

/** The buyer who paid in this browser within the hour, whom it still knows. */
async function buyerInBrowser(services: Services, courseId: string, visitor: Visitor): Promise<string | null> {
  const [grant] = await grantsOf(services, visitor, courseId)
  return grant?.personId ?? null
}

/** What somebody has of a course, in words, and where they change it. */
function formatHeld(
  { language }: School,
  held: readonly Holding[],
  back: string | null,
  canBuy: boolean,
): CheckoutView['held'] {
  const ongoing = held.find(({ state }) => state === 'active' || state === 'stopped')
  if (ongoing?.agreementId) {
    const { nextTry } = ongoing
    const has = nextTry ? say(HELD.paysNext, { day: formatDay(nextTry, language) }) : HELD.pays
    const says = canBuy ? say(HELD.overlapOther, { has }) : has
    return { says, label: HELD.payments, href: `/my/plan/${ongoing.agreementId}` }
  }
  const last = held.map(({ closes }) => closes).sort((a, b) => (a === null || (b !== null && a > b) ? -1 : 1))[0]
  const until = last ? say(HELD.until, { day: formatDay(last, language) }) : HELD.has
  const has = back ? say(HELD.cancelled, { has: until }) : until
  const says = canBuy ? say(HELD.overlap, { has }) : has
  return back ? { says, label: HELD.uncancel, href: `/my/plan/${back}` } : { says, label: HELD.myCourses, href: '/my' }
}
