import type { PageContent } from '../../core/content/checkoutPage.ts'
import { CATALOGUE } from '../../core/words/en/shop.ts'
import { say } from '../../core/words/message.ts'
import { offeredTo } from '../checkout/additions.ts'
import type { Services } from '../platform/context.ts'
import type { School } from '../school/service.ts'
import type { Visitor } from '../session/visitor.ts'
import type { BumpView } from './views.ts'

/**
 * The order bumps of a page as this visitor sees them. Whether a payment method can collect one together with the rest is
 * asked where it is ticked.
 * @param ordered the courses that are ordered anyway.
 */
export async function bumpsOn(
  services: Services,
  school: School,
  { bumps }: PageContent,
  visitor: Visitor,
  ordered: readonly { id: string }[],
): Promise<BumpView[]> {
  const offered = await offeredTo(services, school, bumps, visitor, ordered)
  return offered.map(({ addition, view }) => ({
    ...view,
    tick: addition.tick || say(CATALOGUE.add, { title: view.title }),
  }))
}
