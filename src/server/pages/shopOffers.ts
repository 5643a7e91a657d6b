import { membersOf } from '../../core/content/offer.ts'
import { describeOffer } from '../../core/content/quoteInput.ts'
import { shownSale } from '../../core/content/shownSale.ts'
import { openingOf } from '../../core/sentence/openings.ts'
import { formatWholePrice, todayInParts } from '../../core/sentence/sentence.ts'
import { coursesOfProducts, type SellableProduct } from '../catalogue/sellable.ts'
import { needsOf } from '../checkout/audience.ts'
import { publishedOf } from '../drafts/drafts.ts'
import type { Services } from '../platform/context.ts'
import type { School } from '../school/service.ts'
import type { Visitor } from '../session/visitor.ts'
import type { ShopOffer } from './views.ts'

/**
 * The offers of a product as this visitor sees them. Those that are sold by their link alone are not
 * listed; `linkedTo` are those whose link was opened, or that a page names.
 */
export async function offersOf(
  services: Services,
  school: School,
  product: SellableProduct,
  visitor: Visitor,
  linkedTo: readonly (string | undefined)[] = [],
): Promise<ShopOffer[]> {
  const at = services.now().toISOString()
  const courses = await coursesIn(services, product)
  const listed = product.offers.filter(
    ({ id, live: { audience } }) => audience.who !== 'added' && (audience.who !== 'link' || linkedTo.includes(id)),
  )
  const onSale = listed.filter(({ live }) => live.sale !== null).map(({ id }) => id)
  const history = await publishedOf(services.db, 'offer', onSale)
  const shown = await Promise.all(
    listed.map(async ({ id, live }): Promise<ShopOffer[]> => {
      const said = describeOffer(school, { id, courses, content: live }, at)
      // What has ended, or cannot be quoted, is left out; the studio says why. It takes nothing else down with it.
      if (!said) return []
      const { terms, access } = said.priced
      const { name, button, highlighted, audience } = live
      return [
        {
          id,
          name,
          button,
          highlighted,
          terms,
          access,
          opening: openingOf(courses, said.priced),
          quote: said.quote,
          price: formatWholePrice(said.priced),
          today: todayInParts(said.priced),
          taxRate: live.taxRate ?? school.taxRate,
          lines: live.lines.split('\n').filter((line) => line.trim() !== ''),
          sale: shownSale(history.get(id) ?? [], school, at),
          membersOf: membersOf(live),
          needs: audience.who === 'holders' ? await needsOf(services, audience.of, visitor) : null,
        },
      ]
    }),
  )
  return shown.flat()
}

/** The courses that a product opens; of a course it is the course itself, without a query. */
async function coursesIn({ db, now }: Services, product: SellableProduct) {
  const { id, live } = product
  if ('lessons' in live) return [{ id, title: live.title, opens: live.opens }]
  return (await coursesOfProducts(db, [product], now())).get(id) ?? []
}
