import type { Addition } from '../../core/content/checkoutPage.ts'
import type { CoverColor } from '../../core/content/course.ts'
import { membersOf } from '../../core/content/offer.ts'
import { describeOffer } from '../../core/content/quoteInput.ts'
import { formatMoney, formatRate } from '../../core/money/format.ts'
import type { Quote } from '../../core/quote/types.ts'
import { type Opening, openingOf, withOpening } from '../../core/sentence/openings.ts'
import { formatAccessShort, formatWholePrice } from '../../core/sentence/sentence.ts'
import { beginSentence, formatList } from '../../core/sentence/words.ts'
import type { Access } from '../../core/terms/terms.ts'
import { CATALOGUE } from '../../core/words/en/shop.ts'
import { UPSELLS } from '../../core/words/en/upsells.ts'
import { say } from '../../core/words/message.ts'
import { lowestAlone } from '../catalogue/alone.ts'
import { type SellableLine, sellableLines } from '../catalogue/sellable.ts'
import type { Services } from '../platform/context.ts'
import type { School } from '../school/service.ts'
import type { Visitor } from '../session/visitor.ts'
import { needsOf } from './audience.ts'
import { beside } from './beside.ts'

/** What a page offers besides what it sells. */
export interface AdditionView {
  id: string
  offerId: string
  title: string
  text: string
  coverId: string | null
  coverColor: CoverColor
  /** What it sells, as the order names it. */
  product: string
  /** Its whole price in words. */
  price: string
  /** What it costs in the shop where that is more, in words; null: not said. */
  inShop: string | null
  /** The tax inside what is paid today, in words; null where there is none. */
  tax: string | null
  /** When it opens and how long it lasts, in few words. */
  opens: string
  access: Access
  opening: Opening
  quote: Quote
  /** What its buyer should know before: they have some of it, or would pay for it twice; null: nothing. */
  warning: string | null
}

/** Something that a page offers besides what it sells, as a visitor sees it, and what would be ordered. */
export interface Offered<A extends Addition> {
  addition: A
  line: SellableLine
  view: AdditionView
}

/**
 * The order bumps or upsells of a page that this visitor may be shown, in their order: what is on sale, and what they do
 * not have already, as far as that may be known (selling rules, section 1).
 * @param ordered the courses that are ordered anyway: what opens nothing beside them is not offered, and of what would be
 * paid for twice they are warned.
 */
export async function offeredTo<A extends Addition>(
  services: Services,
  school: School,
  additions: readonly A[],
  visitor: Visitor,
  ordered: readonly { id: string }[] = [],
): Promise<Offered<A>[]> {
  const at = services.now()
  const ids = additions.flatMap(({ offerId }) => (offerId === null ? [] : [offerId]))
  const lines = await sellableLines(services.db, ids, at)
  const products = [...lines.values()].map(({ product }) => product.id)
  const lowest = await lowestAlone(services.db, school, products, at)
  const shown = await Promise.all(
    additions.map(async (addition): Promise<Offered<A>[]> => {
      const line = lines.get(addition.offerId ?? '')
      if (!line) return []
      const { offer, product, courses } = line
      const said = describeOffer(school, { id: offer.id, courses, content: offer.live }, at.toISOString())
      const opening = said && openingOf([...courses, ...line.notIncluded], said.priced)
      const { audience } = offer.live
      const isForThem = audience.who !== 'holders' || (await needsOf(services, audience.of, visitor)).isMet
      if (!said || !opening || !isForThem) return []
      const { buyable, says } = await beside(
        services,
        school,
        courses,
        [{ id: offer.id, quote: said.quote, membersOf: membersOf(offer.live) }],
        visitor,
      )
      const twice = courses.filter(({ id }) => ordered.some((course) => course.id === id))
      if (buyable.length === 0 || twice.length === courses.length) return []
      const titles = formatList(twice.map(({ title }) => `“${title}”`))
      const doubled = twice.length > 0 ? say(CATALOGUE.paidTwice, { count: twice.length, courses: titles }) : null
      const inShop = lowest.get(product.id) ?? null
      const first = said.quote.lines[0]?.payments.find(({ n }) => n > 0)?.price ?? 0
      const isLess = offer.live.terms.kind === 'single' && inShop !== null && inShop > first
      const view = {
        id: addition.id,
        offerId: offer.id,
        title: addition.title || product.title,
        text: addition.text || product.live.summary,
        coverId: addition.coverId ?? product.live.coverId,
        coverColor: product.live.coverColor,
        product: product.title,
        price: formatWholePrice(said.priced),
        inShop: isLess ? say(CATALOGUE.inShop, { money: formatMoney(inShop, school) }) : null,
        tax: said.quote.today.tax > 0 ? taxIn(school, offer.live.taxRate ?? school.taxRate) : null,
        opens: beginSentence(formatAccessShort(withOpening(said.priced, opening))),
        access: said.priced.access,
        opening,
        quote: said.quote,
        warning: [doubled, says?.says].filter(Boolean).join(' ') || null,
      }
      return [{ addition, line, view }]
    }),
  )
  return shown.flat()
}

/** Prices are said with their tax, also where it is added to what the school writes. */
function taxIn({ language }: School, rate: number): string {
  return say(UPSELLS.vat, { rate: formatRate(rate, language) })
}
