import { formatDay } from '../calendar/formatDay.ts'
import { formatMoney, formatRate } from '../money/format.ts'
import { formatPriceSentence } from '../sentence/sentence.ts'
import { formatList } from '../sentence/words.ts'
import type { BundleContent } from './bundle.ts'
import type { CouponContent } from './coupon.ts'
import { formatCoupon, type NameOf } from './couponSentence.ts'
import type { CourseContent } from './course.ts'
import type { FrontContent } from './front.ts'
import { type Audience, type OfferContent, quotableSale } from './offer.ts'
import { describeOffer, type PricingSchool } from './quoteInput.ts'

/** One change in plain words; `from` is null for what is new, `to` null for what goes. */
export interface Change {
  what: string
  from: string | null
  to: string | null
}

/** What publishing an offer's draft would change for buyers, as it would be said at `at`. */
export function offerChanges(
  live: OfferContent | null,
  draft: OfferContent,
  school: PricingSchool,
  at: string,
  titleOf: (courseId: string) => string = (courseId) => courseId,
): Change[] {
  const said = (content: OfferContent) => {
    const priced = describeOffer(
      school,
      { id: 'offer', courses: [{ id: 'course' }], content: { ...content, sale: null } },
      at,
    )
    return priced ? formatPriceSentence(priced.priced) : ''
  }
  return compare(live, draft, [
    ['Name', (content) => content.name],
    ['Price', said],
    ['Sale price', (content) => saleInWords(content, school)],
    ['Own tax rate', ({ taxRate }) => (taxRate === null ? '' : formatRate(taxRate, school.language))],
    ['Who may buy', ({ audience }) => formatAudience(audience, titleOf)],
    ['Lines under the price', (content) => content.lines],
    ['Button', (content) => content.button],
    ['Card statement', (content) => content.statement],
    ['Article number', (content) => content.sku],
    ['Label for you', (content) => content.label],
    ['Highlighted', (content) => (content.highlighted ? 'yes' : '')],
  ])
}

/** Who may buy, in words; nothing where everyone may. */
function formatAudience(audience: Audience, titleOf: (courseId: string) => string): string {
  switch (audience.who) {
    case 'everyone':
      return ''
    case 'link':
      return 'only people with the link'
    case 'added':
      return 'nobody alone; only added to another order'
    case 'holders':
      return `only members of ${formatList(audience.of.map(titleOf), 'or')}`
  }
}

function saleInWords({ sale, terms }: OfferContent, school: PricingSchool): string {
  const fits = quotableSale(sale, terms)
  if (!fits) return ''
  const moment = (text: string) =>
    new Intl.DateTimeFormat('en-GB', { dateStyle: 'long', timeStyle: 'short', timeZone: school.timeZone }).format(
      new Date(text),
    )
  const from = fits.from ? ` from ${moment(fits.from)}` : ''
  const until = fits.until ? ` until ${moment(fits.until)}` : ''
  return `${formatMoney(fits.amount, school)}${fits.scope === 'first' ? ' for the first payment' : ''}${from}${until}`
}

/** What publishing a course's draft would change for buyers. */
export function courseChanges(live: CourseContent | null, draft: CourseContent, language: string): Change[] {
  const changes = compare(live, draft, [
    ['Title', (content) => content.title],
    ['Short text', (content) => content.summary],
    ['Cover colour', (content) => content.coverColor],
    ['Opens', ({ opens }) => (opens === null ? '' : formatDay(opens, language))],
  ])
  if (live && live.description !== draft.description) changes.push(changed('Description'))
  const cover = coverChange(live, draft)
  return [...changes, ...(cover ? [cover] : []), ...lessonChanges(live?.lessons ?? [], draft.lessons)]
}

/** What publishing a bundle's draft would change for buyers. */
export function bundleChanges(
  live: BundleContent | null,
  draft: BundleContent,
  school: PricingSchool,
  titleOf: (courseId: string) => string,
): Change[] {
  const listed = (content: BundleContent) =>
    content.includesAll
      ? 'all courses, those to come included'
      : content.courses.map(({ id }) => titleOf(id)).join(', ')
  const figures = ({ includesAll, courses }: BundleContent) =>
    includesAll
      ? ''
      : courses
          .flatMap(({ id, figure }) => (figure === null ? [] : [`${titleOf(id)} ${formatMoney(figure, school)}`]))
          .join(', ')
  const changes = compare(live, draft, [
    ['Title', (content) => content.title],
    ['Short text', (content) => content.summary],
    ['Courses', listed],
    ['What courses without a price are worth', figures],
    ['Cover colour', (content) => content.coverColor],
  ])
  if (live && live.description !== draft.description) changes.push(changed('Description'))
  const cover = coverChange(live, draft)
  return cover ? [...changes, cover] : changes
}

/** Another picture of a product. */
function coverChange(live: { coverId: string | null } | null, draft: { coverId: string | null }): Change | null {
  if ((live?.coverId ?? null) === draft.coverId) return null
  return {
    what: 'Cover picture',
    from: live?.coverId ? 'the old one' : null,
    to: draft.coverId ? 'the new one' : null,
  }
}

/** What publishing the shop's front would change for its visitors. @param titleOf a course or a bundle. */
export function frontChanges(
  live: FrontContent | null,
  draft: FrontContent,
  titleOf: (productId: string) => string,
): Change[] {
  return compare(live, draft, [
    ['Headline', ({ headline }) => headline],
    ['Words beside it', ({ intro }) => intro],
    ['Basket', ({ hasBasket }) => (hasBasket ? 'buyers can collect several things' : 'none')],
    [
      'Sections',
      ({ sections }) =>
        sections.map(({ title, products }) => `${title || 'Untitled'}: ${products.map(titleOf).join(', ')}`).join('; '),
    ],
  ])
}

/** What publishing a coupon's draft would change for who types its code from then on. */
export function couponChanges(
  live: CouponContent | null,
  draft: CouponContent,
  school: PricingSchool,
  nameOf: NameOf,
): Change[] {
  return compare(live, draft, [
    ['Code', ({ code }) => code],
    ['What it does', (content) => formatCoupon(content, school, nameOf)],
    ['Note for you', ({ note }) => note],
  ])
}

/** What differs of two contents, field by field, in words. */
export function compare<T>(live: T | null, draft: T, fields: [string, (content: T) => string][]): Change[] {
  const changes: Change[] = []
  for (const [what, read] of fields) {
    const from = live ? read(live) : ''
    const to = read(draft)
    if (from !== to) changes.push({ what, from: from || null, to: to || null })
  }
  return changes
}

function changed(what: string): Change {
  return { what, from: 'the old text', to: 'the new text' }
}

function lessonChanges(live: CourseContent['lessons'], draft: CourseContent['lessons']): Change[] {
  const before = new Map(live.map((lesson) => [lesson.id, lesson]))
  const after = new Set(draft.map((lesson) => lesson.id))
  const changes: Change[] = []
  for (const lesson of draft) {
    const old = before.get(lesson.id)
    if (!old) changes.push({ what: 'Lesson', from: null, to: lesson.title || 'Untitled' })
    else if (old.title !== lesson.title) changes.push({ what: 'Lesson', from: old.title, to: lesson.title })
    if (old && old.body !== lesson.body) changes.push(changed(`Lesson “${lesson.title || 'Untitled'}”`))
  }
  for (const lesson of live) {
    if (!after.has(lesson.id)) changes.push({ what: 'Lesson', from: lesson.title || 'Untitled', to: null })
  }
  const remaining = (lessons: CourseContent['lessons'], other: Set<string>) =>
    lessons
      .filter(({ id }) => other.has(id))
      .map(({ id }) => id)
      .join()
  if (remaining(live, after) !== remaining(draft, new Set(before.keys()))) {
    changes.push({ what: 'Order of the lessons', from: 'the old order', to: 'the new order' })
  }
  return changes
}
