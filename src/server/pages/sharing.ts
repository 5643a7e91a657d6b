import { createHash } from 'node:crypto'
import sharp from 'sharp'
import { COVER_HEX } from '../../core/look/coverHex.ts'
import { ON_COLOR } from '../../core/look/readable.ts'
import { formatWholePrices } from '../../core/sentence/sentence.ts'
import { beginSentence } from '../../core/sentence/words.ts'
import { wholePicture } from '../media/pictures.ts'
import type { Services } from '../platform/context.ts'
import type { School } from '../school/service.ts'
import { breakLines, drawLine } from './letters.ts'
import type { CheckoutView } from './views.ts'

/** The size of a picture for sharing, in pixels, as the sites that show it have it. */
const [WIDTH, HEIGHT] = [1200, 630]
const MARGIN = 84

/** What is drawn, or shown instead. */
interface Sharing {
  title: string
  school: string
  price: string
  /** `#rrggbb`. */
  color: string
  /** A stored picture that is shown instead; null: it is drawn. */
  pictureId: string | null
}

/** What the picture for sharing a checkout page is made of: its title, its price, its colour. */
export function sharingOf(view: CheckoutView, school: School): Sharing {
  const { shaped, facts } = view.page
  const opening = shaped.parts.find((part) => part.kind === 'opening')
  const priced = view.offers
    .filter(({ needs }) => needs === null)
    .flatMap(({ terms, quote }) => (quote.lines[0] ? [{ terms, line: quote.lines[0], money: school }] : []))
  const own = shaped.color && COVER_HEX[shaped.color]
  return {
    title: shaped.search.title.trim() || opening?.title.trim() || facts.product.title,
    school: school.name,
    price: priced.length > 0 ? beginSentence(formatWholePrices(priced)) : '',
    color: own ?? school.look.color ?? COVER_HEX[facts.product.coverColor],
    pictureId: shaped.search.pictureId,
  }
}

/** Pictures that were made last, by what they are made of: sites ask for the same one many times. */
const made = new Map<string, Promise<Buffer>>()
const MAX_MADE = 60

/** The picture as PNG, 1200 × 630, and a tag of what it is made of. */
export function sharingPicture(services: Services, sharing: Sharing): { tag: string; png: Promise<Buffer> } {
  const tag = createHash('sha256').update(JSON.stringify(sharing)).digest('hex')
  const known = made.get(tag)
  const png = known ?? draw(services, sharing)
  if (!known) {
    made.set(tag, png)
    png.catch(() => made.delete(tag))
    const [oldest] = made.keys()
    if (made.size > MAX_MADE && oldest !== undefined) made.delete(oldest)
  }
  return { tag, png }
}

async function draw({ db }: Services, sharing: Sharing): Promise<Buffer> {
  if (sharing.pictureId !== null) {
    const whole = await wholePicture(db, sharing.pictureId)
    return sharp(whole).resize(WIDTH, HEIGHT, { fit: 'cover' }).png().toBuffer()
  }
  return sharp(Buffer.from(drawn(sharing)))
    .png()
    .toBuffer()
}

/** The picture as SVG, its letters as paths: no font is needed where it is drawn. */
export function drawn({ title, school, price, color }: Sharing): string {
  const size = title.length > 48 ? 62 : 78
  const lines = breakLines(title, size, WIDTH - 2 * MARGIN - 120, 3)
  const top = 210 + (3 - lines.length) * 24
  const texts = [
    at(MARGIN, 118, drawLine(school, 30).svg, 0.85),
    ...lines.map((line, index) => at(MARGIN, top + index * size * 1.14, drawLine(line, size).svg)),
    at(MARGIN, HEIGHT - 76, drawLine(breakLines(price, 38, WIDTH - 2 * MARGIN, 1)[0] ?? '', 38).svg),
  ]
  const wave = 'c16-12 30-12 46 0s30 12 46 0 30-12 46 0 30 12 46 0 30-12 46 0'
  return `<svg xmlns="http://www.w3.org/2000/svg" width="${WIDTH}" height="${HEIGHT}" viewBox="0 0 ${WIDTH} ${HEIGHT}">
<rect width="${WIDTH}" height="${HEIGHT}" fill="${color}"/>
<g transform="translate(860 40) scale(1.15)" stroke="${ON_COLOR}" stroke-width="2" fill="none" stroke-linecap="round" opacity=".3">
<path d="M20 10v150M20 30${wave}"/><path d="M20 80${wave}"/><path d="M20 130${wave}"/></g>
<path d="M${MARGIN} ${HEIGHT - 146}H${MARGIN + 96}" stroke="${ON_COLOR}" stroke-width="5" stroke-linecap="round" stroke-dasharray="18 14"/>
${texts.join('\n')}</svg>`
}

function at(x: number, y: number, svg: string, opacity = 1): string {
  return `<g transform="translate(${x} ${y})" fill="${ON_COLOR}" opacity="${opacity}">${svg}</g>`
}
