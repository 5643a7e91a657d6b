import sharp from 'sharp'
import { Temporal } from 'temporal-polyfill'
import type { CourseContent } from '../src/core/content/course.ts'
import { newOffer, type OfferContent } from '../src/core/content/offer.ts'
import { createBundle, getBundle, publishBundle, saveBundleDraft } from '../src/server/bundles/service.ts'
import { openFront, publishFront, saveFrontDraft } from '../src/server/catalogue/front.ts'
import { listPages, openPage, publishPage, savePageDraft } from '../src/server/catalogue/pageBench.ts'
import { keepPicture } from '../src/server/catalogue/pictures.ts'
import { createCourse, publishCourse, saveCourseDraft } from '../src/server/catalogue/service.ts'
import { createOffer, getOffer, publishOffer, saveOfferDraft, setOnSale } from '../src/server/offers/service.ts'
import type { Services } from '../src/server/platform/context.ts'
import { DAY_MS, type DemoBundle, type DemoCourse, type DemoOffer, type DemoPage, type DemoSchool } from './school.ts'

/** What was made of the demo's courses and bundles, by their keys. */
export type Made = Map<string, { courseId: string; slug: string; offers: Map<string, string> }>

/** Makes the bundles with their offers, of courses that are there. */
export async function makeBundles(services: Services, all: readonly DemoBundle[], made: Made): Promise<void> {
  for (const { key, of, pattern, joins: _joins, offers, ...head } of all) {
    const { id } = await createBundle(services, head.title)
    const coverId = pattern ? (await keepPicture(services, await cover(pattern))).id : null
    const courses = (of ?? []).map((course) => ({ id: made.get(course)?.courseId as string, figure: null }))
    const content = { ...head, coverId, includesAll: of === null, courses }
    const { draftRev, slug } = await saveBundleDraft(services, id, 1, content)
    await publishBundle(services, id, draftRev, null, null)
    const entry = { courseId: id, slug, offers: new Map<string, string>() }
    made.set(key, entry)
    for (const offer of offers) {
      const { id: offerId } = await createOffer(services, id)
      entry.offers.set(offer.key, offerId)
      const [said] = contentsOf(offer)
      const saved = await saveOfferDraft(services, offerId, 1, said as OfferContent)
      await publishOffer(services, offerId, saved.draftRev, null)
    }
  }
}

/** Shapes checkout pages: their order bumps and upsells. */
export async function shapePages(services: Services, all: readonly DemoPage[], made: Made): Promise<void> {
  for (const { of, bumps, upsells = [] } of all) {
    const [page] = (await listPages(services)).filter(({ slug }) => slug === made.get(of)?.slug)
    if (!page) throw new Error(`There is no page of ${of}.`)
    const { draft, draftRev } = await openPage(services, page.id)
    const content = bumps.map(({ of: product, offer, title = '', text = '', tick = '' }, index) => ({
      id: `${of}-${index + 1}`,
      offerId: made.get(product)?.offers.get(offer) as string,
      title,
      text,
      tick,
      coverId: null,
    }))
    const stepId = (number: number | null) => (number === null ? null : `${of}-after-${number}`)
    const steps = upsells.map(({ of: product, offer, title = '', text = '', onYes, onNo }, index) => ({
      id: stepId(index + 1) as string,
      offerId: made.get(product)?.offers.get(offer) as string,
      title,
      text,
      coverId: null,
      onYes: stepId(onYes),
      onNo: stepId(onNo),
    }))
    const saved = await savePageDraft(services, page.id, draftRev, { ...draft, bumps: content, upsells: steps })
    await publishPage(services, page.id, saved.draftRev, null)
  }
}

/** Shapes the shop's front. */
export async function shapeFront(services: Services, { sections, ...words }: DemoSchool['front'], made: Made) {
  const { draftRev } = await openFront(services)
  const shelved = sections.map(({ title, of }, index) => ({
    id: `section-${index + 1}`,
    title,
    products: of.map((key) => made.get(key)?.courseId as string),
  }))
  const saved = await saveFrontDraft(services, draftRev, { ...words, sections: shelved, hasBasket: true })
  await publishFront(services, saved.draftRev, null)
}

/** A course joins a bundle, for those who have it too. */
export async function growDemo(services: Services, { key, joins }: DemoBundle, made: Made): Promise<void> {
  const id = made.get(key)?.courseId as string
  const { draft, draftRev } = await getBundle(services.db, id)
  const courses = [...draft.courses, { id: made.get(joins?.key ?? '')?.courseId as string, figure: null }]
  const saved = await saveBundleDraft(services, id, draftRev, { ...draft, courses })
  const forHolders = { opens: true, closes: false, notifies: joins?.notifies ?? false }
  await publishBundle(services, id, saved.draftRev, null, forHolders)
}

/** Makes the courses with their offers, each published over time. */
export async function makeCatalogue(services: Services, all: DemoCourse[]): Promise<Made> {
  const made: Made = new Map()
  for (const course of all) {
    const { id } = await createCourse(services, course.title)
    const coverId = course.pattern ? (await keepPicture(services, await cover(course.pattern))).id : null
    const content: CourseContent = {
      title: course.title,
      summary: course.summary,
      description: course.description,
      coverColor: course.coverColor,
      coverId,
      lessons: course.lessons.map(([title, body], index) => ({ id: `${course.key}-${index + 1}`, title, body })),
    }
    const saved = await saveCourseDraft(services, id, 1, content)
    const entry = { courseId: id, slug: saved.slug, offers: new Map<string, string>() }
    made.set(course.key, entry)
    if (course.state !== 'draft') await publishCourse(services, id, saved.draftRev, null)
    for (const offer of course.offers) {
      const { id: offerId } = await createOffer(services, id)
      entry.offers.set(offer.key, offerId)
      if (offer.holdersOf) continue
      let rev = 1
      for (const content of contentsOf(offer)) {
        const draft = await saveOfferDraft(services, offerId, rev, content)
        rev = draft.draftRev
        if (course.state !== 'draft') await publishOffer(services, offerId, rev, null)
      }
    }
  }
  return made
}

function offerContent(name: string, amount: number | null): OfferContent {
  return { ...newOffer(name), terms: amount === null ? { kind: 'free' } : { kind: 'single', amount } }
}

/** What an offer said over time, the last of which is live. */
function contentsOf(offer: DemoOffer): OfferContent[] {
  const inDays = (days: number) => new Date(Date.now() + days * DAY_MS)
  const earlier = (offer.earlier ?? []).map((amount) => offerContent(offer.name, amount))
  const now: OfferContent = { ...offerContent(offer.name, offer.amount ?? null), ...offer.content }
  if (offer.opensInDays) now.access = { ...now.access, from: inDays(offer.opensInDays).toISOString().slice(0, 10) }
  return [...earlier, now]
}

/** Offers for who holds another course, once every course is there. */
export async function makeForHolders(services: Services, course: DemoCourse, made: Made) {
  for (const offer of course.offers) {
    const of = offer.holdersOf && made.get(offer.holdersOf)?.courseId
    const id = made.get(course.key)?.offers.get(offer.key)
    const [content] = contentsOf(offer)
    if (!of || !id || !content) continue
    const { draftRev } = await saveOfferDraft(services, id, 1, { ...content, audience: { who: 'holders', of: [of] } })
    await publishOffer(services, id, draftRev, null)
  }
}

/** The sales that run now, published later than the prices that they are held against. */
export async function publishSales(services: Services, course: DemoCourse, made: Made) {
  for (const offer of course.offers) {
    if (!offer.sale) continue
    const id = made.get(course.key)?.offers.get(offer.key) as string
    const { draft, draftRev } = await getOffer(services.db, id)
    const { amount, untilInDays, scope = 'every' } = offer.sale
    const until = Temporal.Now.zonedDateTimeISO('Europe/Vienna')
      .add({ days: untilInDays })
      .startOfDay()
      .toString({ timeZoneName: 'never', smallestUnit: 'second' })
    const saved = await saveOfferDraft(services, id, draftRev, { ...draft, sale: { amount, from: null, until, scope } })
    await publishOffer(services, id, saved.draftRev, null)
  }
}

/** Leaves a course in the state that the demo wants to show: a changed draft, or taken off sale. */
export async function leaveAs(services: Services, course: DemoCourse, made: Made) {
  for (const offer of course.offers) {
    const id = made.get(course.key)?.offers.get(offer.key) as string
    if (course.state === 'off') await setOnSale(services, id, false)
    if (offer.draftAmount) {
      const { draftRev } = await getOffer(services.db, id)
      await saveOfferDraft(services, id, draftRev, offerContent(offer.name, offer.draftAmount))
    }
  }
}

/** A cover drawn for the demo: lines of thread, grain or marbled paper. */
function cover(pattern: NonNullable<DemoCourse['pattern']>): Promise<Buffer> {
  const colours = { waves: ['#2f5d50', '#dfe8cf'], grain: ['#8c3a46', '#f0d9cf'], marble: ['#a8762a', '#f6ecd2'] }[
    pattern
  ]
  const lines = Array.from({ length: 26 }, (_, index) => {
    const y = index * 32 + 8
    const bend = pattern === 'grain' ? 6 : pattern === 'waves' ? 22 : 60 + 40 * Math.sin(index)
    return `<path d="M-20 ${y}c120 ${-bend} 200 ${bend} 320 0s200 ${-bend} 320 0 200 ${bend} 320 0 200 ${-bend} 320 0" fill="none" stroke="${colours[1]}" stroke-opacity="${0.25 + (index % 4) * 0.15}" stroke-width="${pattern === 'marble' ? 9 : 3}"/>`
  })
  const svg = `<svg xmlns="http://www.w3.org/2000/svg" width="1200" height="800"><rect width="1200" height="800" fill="${colours[0]}"/>${lines.join('')}</svg>`
  return sharp(Buffer.from(svg)).jpeg({ quality: 88 }).toBuffer()
}
