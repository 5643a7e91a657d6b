import { MIN_COURSES } from '../../core/content/bundle.ts'
import { couponProblems } from '../../core/content/coupon.ts'
import { quotableTerms } from '../../core/content/offer.ts'
import { codeKey } from '../../core/quote/codes.ts'
import type { SchoolFile } from './format.ts'

/** By these names content refers to pictures, at any depth. */
export const PICTURE_FIELDS: ReadonlySet<string> = new Set(['coverId', 'pictureId', 'stillId', 'logoId'])

/** What is wrong with a file: where (RFC 6901), and why, in a sentence. */
export class FileError extends Error {
  readonly at: string
  constructor(at: string, why: string) {
    super(why)
    this.at = at
  }
}

/** What is there already, beside what a file brings: ids by what they are of. */
export interface ExistingIds {
  courses: ReadonlySet<string>
  bundles: ReadonlySet<string>
  offers: ReadonlySet<string>
  pictures: ReadonlySet<string>
  pages: ReadonlySet<string>
}

/**
 * Whether everything in a file can be what it says: ids once, references that lead somewhere, and what is live fit to be
 * sold. @throws FileError at the first that is not so.
 */
export function checkReferences(file: SchoolFile, known: ExistingIds): void {
  checkIds(file)
  const courses = new Set([...known.courses, ...file.courses.map(({ id }) => id)])
  const bundles = new Set([...known.bundles, ...file.bundles.map(({ id }) => id)])
  const products = new Set([...courses, ...bundles])
  const offers = new Set([
    ...known.offers,
    ...[...file.courses, ...file.bundles].flatMap((product) => product.offers.map(({ id }) => id)),
  ])
  const pictures = new Set([...known.pictures, ...file.pictures.map(({ id }) => id)])
  const pages = new Set([...known.pages, ...file.pages.map(({ id }) => id)])
  const need = (has: ReadonlySet<string>, id: string, at: string, what: string) => {
    if (!has.has(id)) throw new FileError(at, `There is no ${what} with this id.`)
  }
  const needPictures = (value: unknown, at: string): void => {
    if (typeof value !== 'object' || value === null) return
    for (const [key, entry] of Object.entries(value)) {
      const here = `${at}/${key}`
      if (PICTURE_FIELDS.has(key) && typeof entry === 'string') need(pictures, entry, here, 'picture')
      else needPictures(entry, here)
    }
  }
  for (const [index, course] of file.courses.entries()) {
    checkProduct(course, `/courses/${index}`, (id, at) => need(products, id, at, 'course or bundle'))
  }
  for (const [index, bundle] of file.bundles.entries()) {
    const at = `/bundles/${index}`
    checkProduct(bundle, at, (id, where) => need(products, id, where, 'course or bundle'))
    for (const which of ['draft', 'live'] as const) {
      for (const [place, course] of (bundle[which]?.courses ?? []).entries()) {
        need(courses, course.id, `${at}/${which}/courses/${place}/id`, 'course')
      }
    }
    if (bundle.live && !bundle.live.includesAll && bundle.live.courses.length < MIN_COURSES) {
      throw new FileError(`${at}/live/courses`, `What is live has at least ${MIN_COURSES} courses.`)
    }
  }
  needPictures(file.school.look, '/school/look')
  for (const [index, page] of file.pages.entries()) {
    const at = `/pages/${index}`
    need(products, page.product, `${at}/product`, 'course or bundle')
    for (const which of ['draft', 'live'] as const) {
      checkPage(page[which], `${at}/${which}`, need, offers)
      const next = page[which]?.ends?.leadsTo
      if (next) need(pages, next, `${at}/${which}/ends/leadsTo`, 'page')
    }
  }
  for (const which of ['draft', 'live'] as const)
    checkPage(file.basketPage?.[which] ?? null, `/basketPage/${which}`, need, offers)
  for (const [index, coupon] of file.coupons.entries()) {
    const at = `/coupons/${index}`
    for (const which of ['draft', 'live'] as const) {
      const appliesTo = coupon[which]?.appliesTo
      for (const [place, id] of (appliesTo?.products ?? []).entries()) {
        need(products, id, `${at}/${which}/appliesTo/products/${place}`, 'course or bundle')
      }
      for (const [place, id] of (appliesTo?.offers ?? []).entries()) {
        need(offers, id, `${at}/${which}/appliesTo/offers/${place}`, 'offer')
      }
    }
    // Long ago, so that one that has ended is none the worse.
    const [problem] = coupon.live ? couponProblems(coupon.live, '1970-01-01T00:00:00Z') : []
    if (problem) throw new FileError(`${at}/live${problem.at}`, problem.why)
    if (coupon.codes.length > 0 && !coupon.live?.isSet) {
      throw new FileError(`${at}/codes`, 'Only a published set has single-use codes.')
    }
    if (coupon.endedAt && !coupon.live) throw new FileError(`${at}/endedAt`, 'Only what was live can have ended.')
  }
  for (const which of ['draft', 'live'] as const) {
    for (const [place, section] of (file.front?.[which]?.sections ?? []).entries()) {
      for (const [at, id] of section.products.entries()) {
        need(products, id, `/front/${which}/sections/${place}/products/${at}`, 'course or bundle')
      }
    }
  }
  for (const name of ['courses', 'bundles', 'pages'] as const) {
    for (const [index, entry] of file[name].entries()) needPictures(entry, `/${name}/${index}`)
  }
  if (file.basketPage) needPictures(file.basketPage, '/basketPage')
}

type Product = SchoolFile['courses'][number] | SchoolFile['bundles'][number]

function checkProduct(product: Product, at: string, needProduct: (id: string, at: string) => void): void {
  for (const [index, offer] of product.offers.entries()) {
    const here = `${at}/offers/${index}`
    for (const which of ['draft', 'live'] as const) {
      const audience = offer[which]?.audience
      if (audience?.who !== 'holders') continue
      for (const [place, id] of audience.of.entries()) needProduct(id, `${here}/${which}/audience/of/${place}`)
    }
    if (offer.live && !quotableTerms(offer.live.terms)) {
      throw new FileError(`${here}/live/terms`, 'What is live has a price.')
    }
    if (offer.onSale && !offer.live) throw new FileError(`${here}/onSale`, 'Only what is live can be on sale.')
    if (offer.onSale && offer.isRetired) throw new FileError(`${here}/onSale`, 'What is retired is not on sale.')
    if (offer.live && !product.live) throw new FileError(`${here}/live`, 'Its course or bundle is not live.')
  }
}

function checkPage(
  content: SchoolFile['pages'][number]['live'],
  at: string,
  need: (has: ReadonlySet<string>, id: string, at: string, what: string) => void,
  offers: ReadonlySet<string>,
): void {
  for (const [place, id] of (content?.offers ?? []).entries()) need(offers, id, `${at}/offers/${place}`, 'offer')
  if (content?.chosen) need(offers, content.chosen, `${at}/chosen`, 'offer')
  for (const name of ['bumps', 'upsells'] as const) {
    for (const [place, { offerId }] of (content?.[name] ?? []).entries()) {
      if (offerId !== null) need(offers, offerId, `${at}/${name}/${place}/offerId`, 'offer')
    }
  }
  const steps = content?.upsells ?? []
  for (const [place, step] of steps.entries()) {
    const later = new Set(steps.slice(place + 1).map(({ id }) => id))
    for (const answer of ['onYes', 'onNo'] as const) {
      const next = step[answer]
      if (next !== null) need(later, next, `${at}/upsells/${place}/${answer}`, 'later upsell')
    }
  }
}

/** Ids, addresses and words stand in a file once. */
function checkIds(file: SchoolFile): void {
  const ids = new Set<string>()
  const once = (seen: Set<string>, value: string, at: string, what: string) => {
    if (seen.has(value)) throw new FileError(at, `This ${what} stands in the file twice.`)
    seen.add(value)
  }
  for (const name of ['pictures', 'videos', 'courses', 'bundles', 'pages', 'coupons'] as const) {
    for (const [index, entry] of file[name].entries()) {
      once(ids, entry.id, `/${name}/${index}/id`, 'id')
      if (!('offers' in entry)) continue
      for (const [place, offer] of entry.offers.entries())
        once(ids, offer.id, `/${name}/${index}/offers/${place}/id`, 'id')
    }
  }
  const slugs = new Set<string>()
  for (const name of ['courses', 'bundles'] as const) {
    for (const [index, { slug }] of file[name].entries()) once(slugs, slug, `/${name}/${index}/slug`, 'address')
  }
  const pageSlugs = new Set<string>()
  const everyday = new Set<string>()
  const mains = new Set<string>()
  for (const [index, { slug, before, product, isEveryday, isMain }] of file.pages.entries()) {
    once(pageSlugs, slug, `/pages/${index}/slug`, 'address')
    for (const [place, old] of before.entries()) once(pageSlugs, old, `/pages/${index}/before/${place}`, 'address')
    if (isMain) once(mains, product, `/pages/${index}/isMain`, 'product, whose buttons lead to another page,')
    if (isEveryday) once(everyday, product, `/pages/${index}/product`, 'product, with a page of its own,')
  }
  const words = new Set<string>()
  for (const [index, { live, isRetired, codes }] of file.coupons.entries()) {
    if (live && !live.isSet && !isRetired) once(words, codeKey(live.code), `/coupons/${index}/live/code`, 'code')
    for (const [place, { code }] of codes.entries())
      once(words, codeKey(code), `/coupons/${index}/codes/${place}/code`, 'code')
  }
  for (const name of ['courses', 'bundles', 'pages', 'front', 'basketPage'] as const) {
    const one = name === 'front' || name === 'basketPage' ? file[name] : null
    const entries = name === 'front' || name === 'basketPage' ? (one ? [one] : []) : file[name]
    for (const [index, entry] of entries.entries()) {
      const base = one ? `/${name}` : `/${name}/${index}`
      for (const which of ['draft', 'live'] as const) innerIds(entry[which], `${base}/${which}`, once)
    }
  }
}

/** Whatever has an id (lessons, order bumps, upsells, sections, parts and what is in them) has it once in its list. */
function innerIds(
  content: unknown,
  at: string,
  once: (seen: Set<string>, value: string, at: string, what: string) => void,
): void {
  if (typeof content !== 'object' || content === null) return
  const seen = new Set<string>()
  for (const [name, entry] of Object.entries(content)) {
    const { id } = (entry ?? {}) as { id?: unknown }
    if (Array.isArray(content) && typeof id === 'string') once(seen, id, `${at}/${name}/id`, 'id')
    innerIds(entry, `${at}/${name}`, once)
  }
}
