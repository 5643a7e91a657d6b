import { and, eq, isNull } from 'drizzle-orm'
import { quotableTerms } from '../../core/content/offer.ts'
import type { Mode } from '../db/schema/columns.ts'
import { courses, offers, orders } from '../db/schema/index.ts'
import { offeredMethods } from '../gateways/service.ts'
import type { Services } from '../platform/context.ts'

/** The steps to the first sale in a mode, each with whether it is done. */
export async function firstSteps(services: Services, mode: Mode) {
  const { db } = services
  const [courseCount, drafts, methods, sales] = await Promise.all([
    db.$count(courses, isNull(courses.retiredAt)),
    db
      .select({ draft: offers.draft, live: offers.live, onSale: offers.onSale })
      .from(offers)
      .where(and(isNull(offers.retiredAt), eq(offers.isTestPurchase, false))),
    offeredMethods(services, mode),
    db.$count(orders, and(eq(orders.mode, mode), eq(orders.state, 'paid'))),
  ])
  const priced = drafts.filter(({ draft }) => quotableTerms(draft.terms) !== null)
  const isFree = priced.length > 0 && priced.every(({ draft }) => draft.terms.kind === 'free')
  return {
    course: courseCount > 0,
    price: priced.length > 0,
    /** Nothing is needed to give something away. */
    method: methods.length > 0 || isFree,
    published: drafts.some(({ live, onSale }) => live !== null && onSale),
    sold: sales > 0,
  }
}
