import { inOrder } from '../../core/checkoutPages/arrange.ts'
import type { PageFacts, PriceColumn } from '../../core/checkoutPages/facts.ts'
import { shotsOf } from '../../core/checkoutPages/parts.ts'
import { quotableSale } from '../../core/content/offer.ts'
import { formatMoney } from '../../core/money/format.ts'
import { withOpening } from '../../core/sentence/openings.ts'
import { formatAccessShort, formatLaterPayments } from '../../core/sentence/sentence.ts'
import { beginSentence } from '../../core/sentence/words.ts'
import { CHECKOUT } from '../../core/words/en/checkout.ts'
import { PRICE_ROWS } from '../../core/words/en/page.ts'
import type { LivePage } from '../catalogue/pages.ts'
import type { SellableProduct } from '../catalogue/sellable.ts'
import { findCodes } from '../coupons/codes.ts'
import { pictureFactsOf } from '../media/pictures.ts'
import { videosOf } from '../media/videos.ts'
import type { Services } from '../platform/context.ts'
import type { School } from '../school/service.ts'
import type { ShopOffer } from './views.ts'

/** What a page is made of, as far as it is known where its form is made. */
interface FactSources {
  page: LivePage
  product: SellableProduct
  offers: readonly ShopOffer[]
  titles: string[]
  titlesOf: PageFacts['titlesOf']
  saving: string | null
  about: PageFacts['product']['about']
}

/** Everything that a checkout page shows besides what its creator wrote. */
export async function factsOf(services: Services, school: School, known: FactSources): Promise<PageFacts> {
  const { page, product, offers, titles, titlesOf, saving, about } = known
  const { title, summary, coverColor, coverId } = product.live
  const at = services.now().toISOString()
  const parts = inOrder(page.live.parts)
  const hasPrices = parts.some(({ kind }) => kind === 'prices')
  const [first] = parts.flatMap((part) => (part.place === 'above' ? shotsOf(part) : []))
  const pictureIds = parts.flatMap((part) => shotsOf(part).map(({ shot }) => shot.pictureId))
  const videoIds = parts.flatMap((part) => (part.kind === 'video' ? (part.videoId ?? []) : []))
  const [pictures, videos, [code]] = await Promise.all([
    pictureFactsOf(services.db, pictureIds),
    videosOf(services.db, videoIds),
    findCodes(services.db, page.live.code === '' ? [] : [page.live.code]),
  ])
  return {
    school: { name: school.name, language: school.language, timeZone: school.timeZone, look: school.look },
    product: { kind: product.kind, title, summary, coverColor, coverId, about },
    titles,
    titlesOf,
    saving,
    prices: hasPrices ? offers.filter(({ needs }) => needs?.isMet ?? true).map((offer) => columnOf(offer, school)) : [],
    ends: { sale: saleEnd(product, offers, at), page: page.live.ends?.at ?? null, code: code?.content.until ?? null },
    at,
    videos: Object.fromEntries(
      videos.map(({ id, length, width, height, captions, warning, name }) => [
        id,
        { length, width, height, name, warning, hasCaptions: captions !== null },
      ]),
    ),
    pictures: Object.fromEntries(
      Object.entries(pictures).map(([id, one]) => [id, id === first?.shot.pictureId ? one : { ...one, preview: null }]),
    ),
  }
}

/** The first end of a sale that runs now, of an offer that is shown. */
function saleEnd(product: SellableProduct, offers: readonly ShopOffer[], at: string): string | null {
  const shown = new Set(offers.filter(({ sale }) => sale !== null).map(({ id }) => id))
  const ends = product.offers
    .filter(({ id }) => shown.has(id))
    .flatMap(({ live }) => quotableSale(live.sale, live.terms)?.until ?? [])
    .filter((until) => Date.parse(until) > Date.parse(at))
  return ends.sort((a, b) => Date.parse(a) - Date.parse(b))[0] ?? null
}

/** An offer as a column of a price table. */
function columnOf(
  { id, name, price, highlighted, lines, quote, terms, access, opening }: ShopOffer,
  money: School,
): PriceColumn {
  const [line] = quote.lines
  const said = { terms, access, isWhileMember: opening.isWhileMember, purchaseDay: quote.purchaseDay, money }
  const priced = line && withOpening({ ...said, line }, opening)
  const later = priced ? formatLaterPayments(priced) : ''
  const known = { ...{ id, name, price, lines }, isHighlighted: highlighted }
  const accessRow = { [PRICE_ROWS.access]: priced ? beginSentence(formatAccessShort(priced)) : '' }
  // What its buyers name is no sum yet.
  if (terms.kind === 'openPrice') {
    const [today, none] = [beginSentence(price), '–']
    return {
      ...known,
      rows: { [PRICE_ROWS.today]: today, [PRICE_ROWS.later]: none, [PRICE_ROWS.inAll]: today, ...accessRow },
    }
  }
  return {
    ...known,
    rows: {
      [PRICE_ROWS.today]: quote.today.pay === 0 ? beginSentence(CHECKOUT.free) : formatMoney(quote.today.pay, money),
      [PRICE_ROWS.later]: later === '' ? '–' : beginSentence(later),
      [PRICE_ROWS.inAll]: quote.committed === null ? PRICE_ROWS.untilCancelled : formatMoney(quote.committed, money),
      ...accessRow,
    },
  }
}
