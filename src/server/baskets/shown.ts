import { isShownInBasket, membersOf } from '../../core/content/offer.ts'
import { describeOffer } from '../../core/content/quoteInput.ts'
import { DocumentError } from '../../core/document/reader.ts'
import { formatMoney, formatPlain } from '../../core/money/format.ts'
import { hasLater } from '../../core/quote/later.ts'
import { type Opening, openingOf } from '../../core/sentence/openings.ts'
import { formatWholePrice } from '../../core/sentence/sentence.ts'
import { formatList } from '../../core/sentence/words.ts'
import { BASKET } from '../../core/words/en/basket.ts'
import { say } from '../../core/words/message.ts'
import type { ProductCard } from '../catalogue/cards.ts'
import { buyPathOf } from '../catalogue/products.ts'
import {
  coursesOfProducts,
  type SellableLine,
  type SellableProduct,
  sellableLines,
  sellableProducts,
} from '../catalogue/sellable.ts'
import { needsOf } from '../checkout/audience.ts'
import { beside } from '../checkout/beside.ts'
import type { PlacingLine } from '../checkout/placing.ts'
import { type Quoted, quoteBasket } from '../checkout/quoteBasket.ts'
import { catalogue } from '../db/schema/index.ts'
import type { Services } from '../platform/context.ts'
import type { School } from '../school/service.ts'
import type { Visitor } from '../session/visitor.ts'
import { type BasketRow, findBasket, linesIn } from './basket.ts'

/** One thing in a basket as it stands now. */
export interface BasketLineView {
  productId: string
  card: ProductCard
  /** Taken out, and can be put back. */
  isTakenOut: boolean
  offerId: string
  offer: string
  /** Its whole price in words. */
  price: string
  /** What it cost when it was put in, where that was otherwise. */
  was: string | null
  /** Why it cannot be ordered; null where it can. */
  problem: string | null
  /** What its buyer should know before paying. */
  warnings: string[]
  /** The prices among which they can choose. */
  choices: { id: string; name: string; price: string }[]
  /** Where they name the price: what they wrote, or is suggested, and the least, in minor units. */
  ownPrice: { typed: string; minimum: number } | null
}

export interface BasketView {
  name: 'basket'
  lines: BasketLineView[]
  /** A price that was written wrong just now. */
  wrong: { productId: string; typed: string } | null
  /** What is paid today for all that can be ordered, minor units; null where nothing can. */
  today: number | null
  hasLater: boolean
  /** A link that puts the same things into another basket; null where nothing can be ordered. */
  link: string | null
}

/** A thing in a basket that can be ordered, with what is said of it. */
export interface Orderable {
  row: BasketRow
  line: PlacingLine
  quoted: Quoted
  /** Its whole price in words. */
  price: string
  /** When its courses open. */
  opening: Opening
  /** What its buyer should know before paying. */
  warnings: string[]
}

/** What a basket comes to: what can be ordered, all of it quoted as one, and what cannot, with the reason. */
export interface Shown {
  orderable: Orderable[]
  together: Quoted | null
  lines: BasketLineView[]
  /** Courses that would be paid for twice, each once, in words. */
  overlaps: string[]
}

/** What is in a visitor's basket as it stands now: what ended or is theirs by now is said, and never in the way of the rest. */
export async function showBasket(services: Services, school: School, visitor: Visitor): Promise<Shown> {
  const basket = await findBasket(services, visitor)
  const rows = basket ? await linesIn(services, basket) : []
  const there = rows.filter(({ takenOutAt }) => takenOutAt === null)
  const { db } = services
  const at = services.now()
  const [sellable, products, known] = await Promise.all([
    sellableLines(
      db,
      there.map(({ offerId }) => offerId),
      at,
    ),
    sellableProducts(db),
    db.select().from(catalogue),
  ])
  const found = await Promise.all(
    rows.map(async (row) => {
      const product = products.find(({ id }) => id === row.productId)
      const called = known.find(({ id }) => id === row.productId)
      const shown = product?.live ?? called?.live ?? called?.draft
      const { title = '', summary = '', coverColor = 'slate', coverId = null } = shown ?? {}
      const card: ProductCard = {
        kind: called?.kind ?? 'course',
        slug: called?.slug ?? '',
        buy: called ? buyPathOf(called) : '/',
        title,
        summary,
        coverColor,
        coverId,
      }
      const view = { productId: row.productId, card, isTakenOut: row.takenOutAt !== null }
      if (row.takenOutAt) return { row, view: { ...view, ...NOTHING }, orderable: null }
      const stands = await lineStatus(services, school, row, sellable.get(row.offerId), product, visitor)
      return { row, view: { ...view, ...stands.view }, orderable: stands.orderable }
    }),
  )
  const orderable = found.flatMap((one) => one.orderable ?? [])
  const together =
    orderable.length > 0
      ? quoteBasket(
          school,
          orderable.map(({ line }) => line),
          at,
        )
      : null
  const twice = new Set(together?.quote.overlaps ?? [])
  const overlaps = [...twice].map((id) => {
    const of = orderable.filter(({ line }) => line.courses.some((course) => course.id === id))
    const course = of[0]?.line.courses.find((one) => one.id === id)?.title ?? ''
    return say(BASKET.twiceInAll, { course, titles: formatList(of.map(({ line }) => `“${line.product.title}”`)) })
  })
  const lines = found.map(({ view, orderable: own }): BasketLineView => {
    if (!own) return view
    const others = orderable.filter((other) => other !== own)
    const doubled = own.line.courses.flatMap(({ id, title }) => {
      const other = twice.has(id)
        ? others.find(({ line }) => line.courses.some((course) => course.id === id))?.line.product
        : undefined
      if (!other) return []
      return [
        other.id === id
          ? say(BASKET.twiceAlone, { course: title })
          : say(BASKET.twice, { course: title, other: other.title }),
      ]
    })
    return { ...view, warnings: [...own.warnings, ...doubled] }
  })
  return { orderable, together, lines, overlaps }
}

const NOTHING = {
  offerId: '',
  offer: '',
  price: '',
  was: null,
  problem: null,
  warnings: [],
  choices: [],
  ownPrice: null,
}

/** How one thing stands: whether it can be ordered, at which price, and what is to be said. */
async function lineStatus(
  services: Services,
  school: School,
  row: BasketRow,
  line: SellableLine | undefined,
  product: SellableProduct | undefined,
  visitor: Visitor,
): Promise<{ view: Omit<BasketLineView, 'productId' | 'card' | 'isTakenOut'>; orderable: Orderable | null }> {
  const choices = product ? await choicesOf(services, school, product, row, visitor) : []
  const view = { ...NOTHING, offerId: row.offerId, choices }
  const stopped = (problem: string) => ({ view: { ...view, problem }, orderable: null })
  const said = line && quotedOf(services, school, row, line)
  if (!line || !said || line.offer.live.audience.who === 'added')
    return stopped(choices.length > 0 ? BASKET.ended : BASKET.gone)
  const { offer, courses } = line
  const { audience, terms, name } = offer.live
  const named = { ...view, offer: name, price: said.price }
  if (audience.who === 'holders') {
    const needs = await needsOf(services, audience.of, visitor)
    const titles = formatList(
      needs.courses.map(({ title }) => title),
      'or',
    )
    if (!needs.isMet) return { view: { ...named, problem: say(BASKET.members, { courses: titles }) }, orderable: null }
  }
  const { buyable, says } = await beside(
    services,
    school,
    courses,
    [{ id: offer.id, quote: said.quoted.quote, membersOf: membersOf(offer.live) }],
    visitor,
  )
  if (buyable.length === 0) return { view: { ...named, problem: says?.says ?? BASKET.owned }, orderable: null }
  const ownPrice =
    terms.kind === 'openPrice'
      ? {
          minimum: terms.minimum ?? 0,
          typed: formatPlain(said.quoted.quote.lines[0]?.payments[0]?.price ?? 0, school),
        }
      : null
  const placing = { ...line, role: 'main' as const, chosen: row.chosen }
  return {
    view: { ...named, was: row.priceSeen === said.listed ? null : row.priceSeen, ownPrice },
    orderable: {
      row,
      line: placing,
      quoted: said.quoted,
      price: said.price,
      opening: said.opening,
      warnings: says ? [says.says] : [],
    },
  }
}

/** A thing's own quote and its whole price in words, as listed too; null where it cannot be quoted any more. */
function quotedOf(services: Services, school: School, row: BasketRow, { offer, courses, notIncluded }: SellableLine) {
  const at = services.now()
  const listed = describeOffer(school, { id: offer.id, courses, content: offer.live }, at.toISOString())
  if (!listed) return null
  const quote = (chosen: number | null) => quoteBasket(school, [{ role: 'main', chosen, offer, courses }], at)
  const quoted = quoteOr(() => quote(row.chosen)) ?? quote(null)
  // Of a price that its buyer names, that price; of any other the whole of it, in words.
  const named = quoted.quote.lines[0]?.payments[0]?.price
  const isNamed = listed.priced.terms.kind === 'openPrice' && named !== undefined
  const price = isNamed ? formatMoney(named, school) : formatWholePrice(listed.priced)
  const opening = openingOf([...courses, ...notIncluded], listed.priced)
  return { quoted, price, opening, listed: formatWholePrice(listed.priced) }
}

/** A price that its buyer named and that is too low by now counts for nothing. */
function quoteOr(quote: () => Quoted): Quoted | null {
  try {
    return quote()
  } catch (error) {
    if (error instanceof DocumentError) return null
    throw error
  }
}

/** The offers of a product among which this visitor can choose in their basket. */
async function choicesOf(
  services: Services,
  school: School,
  product: SellableProduct,
  row: BasketRow,
  visitor: Visitor,
): Promise<BasketLineView['choices']> {
  const at = services.now().toISOString()
  const courses = (await coursesOfProducts(services.db, [product], services.now())).get(product.id) ?? []
  const all = await Promise.all(
    product.offers.map(async ({ id, live }) => {
      if (!isShownInBasket(live, id === row.offerId)) return []
      if (live.audience.who === 'holders' && !(await needsOf(services, live.audience.of, visitor)).isMet) return []
      const said = describeOffer(school, { id, courses, content: live }, at)
      return said ? [{ id, name: live.name, price: formatWholePrice(said.priced) }] : []
    }),
  )
  return all.flat()
}

/** The page of a visitor's basket. @param wrong the thing whose price was written wrong, with what was written. */
export async function basketView(
  services: Services,
  school: School,
  visitor: Visitor,
  wrong: { productId: string; typed: string } | null = null,
): Promise<BasketView> {
  const { orderable, together, lines } = await showBasket(services, school, visitor)
  const offers = orderable.map(({ row }) => row.offerId)
  const quote = together?.quote ?? null
  return {
    name: 'basket',
    lines,
    wrong,
    today: quote ? quote.today.pay : null,
    hasLater: quote !== null && hasLater(quote),
    link: offers.length > 0 ? `${services.config.origin}/basket?with=${offers.join(',')}` : null,
  }
}
