import { isOver } from '../../core/content/checkoutPage.ts'
import { REFUSED } from '../../core/words/en/refused.ts'
import { say } from '../../core/words/message.ts'
import { findLivePage, type LivePage } from '../catalogue/pages.ts'
import { sellableLines } from '../catalogue/sellable.ts'
import { fieldProblem, Problem } from '../http/problem.ts'
import type { Services } from '../platform/context.ts'
import { notOnSale } from './codedQuote.ts'
import type { PlaceRequest, PlacingLine, Shopper } from './placing.ts'

/** What a request asks for, in its order, on no page. @throws Problem as on a page. */
export async function linesOf(
  services: Services,
  request: Pick<PlaceRequest, 'lines'>,
  shopper: Shopper,
): Promise<PlacingLine[]> {
  return withRoles(await askedFor(services, request, shopper), null)
}

/**
 * The roles of what is asked for: what a page has as an order bump is one, behind the first. @throws Problem 410 where
 * something is sold as an addition only, and is none here.
 */
function withRoles(lines: readonly Omit<PlacingLine, 'role'>[], page: LivePage | null): PlacingLine[] {
  return lines.map((line, index) => {
    const isBump = index > 0 && (page?.live.bumps.some(({ offerId }) => offerId === line.offer.id) ?? false)
    if (line.offer.live.audience.who === 'added' && !isBump) throw notOnSale()
    return { ...line, role: isBump ? 'bump' : 'main' }
  })
}

/** What a request asks for, in its order. @throws Problem 410 where something of it is not on sale, 422 where it, or its product, is in it twice. */
async function askedFor(
  { db, now }: Services,
  { lines }: Pick<PlaceRequest, 'lines'>,
  { isCreator }: Shopper,
): Promise<Omit<PlacingLine, 'role'>[]> {
  const ids = lines.map(({ offerId }) => offerId)
  const twice = ids.findIndex((id, index) => ids.indexOf(id) !== index)
  if (twice > 0) throw fieldProblem(`/lines/${twice}/offerId`, REFUSED.inBasket)
  const sellable = await sellableLines(db, ids, now(), isCreator)
  const products = new Set<string>()
  return lines.map(({ offerId, chosen }, index) => {
    const line = sellable.get(offerId)
    if (!line) throw notOnSale(index)
    const { id, title } = line.product
    if (products.has(id)) throw fieldProblem(`/lines/${index}/offerId`, say(REFUSED.twoOffers, { title }))
    products.add(id)
    return { ...line, chosen }
  })
}

/** What is in a basket, and the page on which it is. */
export async function basketOn(
  services: Services,
  slug: string,
  request: Pick<PlaceRequest, 'lines'>,
  shopper: Shopper,
) {
  const [found, page] = await Promise.all([askedFor(services, request, shopper), findLivePage(services.db, slug)])
  if (!page || (page.productId !== null && found[0]?.product.id !== page.productId)) throw notOnSale()
  if (page.isRetired || isOver(page.live, services.now().toISOString())) {
    throw new Problem(410, 'page-over', REFUSED.pageOver)
  }
  return { lines: withRoles(found, page), page }
}
