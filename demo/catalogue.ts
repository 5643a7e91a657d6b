import { Temporal } from 'temporal-polyfill'
import { newOffer } from '../src/core/content/offer.ts'
import { getBundle, publishBundle, saveBundleDraft } from '../src/server/bundles/service.ts'
import { listPages } from '../src/server/checkoutPages/bench.ts'
import { getOffer, publishOffer, saveOfferDraft, setOnSale } from '../src/server/offers/service.ts'
import type { Services } from '../src/server/platform/context.ts'
import { type DemoLife, offerOf } from './school.ts'

/** The demo's courses and bundles, by their keys. */
export type Made = Map<string, { courseId: string; slug: string; offers: Map<string, string> }>

/** What the school's file has made, by the keys of the demo. */
export async function madeOf(services: Services, { products }: DemoLife): Promise<Made> {
  const pages = await listPages(services)
  return new Map(
    Object.entries(products).map(([key, { id, offers }]) => {
      const page = pages.find(({ productId }) => productId === id)
      if (!page) throw new Error(`The demo’s file has no page of ${key}.`)
      return [key, { courseId: id, slug: page.slug, offers: new Map(Object.entries(offers)) }]
    }),
  )
}

/** A course joins a bundle, for those who have it too. */
export async function growDemo(
  services: Services,
  { bundle, course, notifies }: DemoLife['joins'][number],
  made: Made,
): Promise<void> {
  const id = made.get(bundle)?.courseId as string
  const { draft, draftRev } = await getBundle(services.db, id)
  const courses = [...draft.courses, { id: made.get(course)?.courseId as string, figure: null }]
  const saved = await saveBundleDraft(services, id, draftRev, { ...draft, courses })
  await publishBundle(services, id, saved.draftRev, null, { opens: true, closes: false, notifies })
}

/** The sales that run now, published later than the prices that they are held against. */
export async function publishSales(services: Services, life: DemoLife): Promise<void> {
  for (const { offer, amount, untilInDays, scope = 'every' } of life.sales) {
    const id = offerOf(life, offer)
    const { draft, draftRev } = await getOffer(services.db, id)
    const until = Temporal.Now.zonedDateTimeISO('Europe/Vienna')
      .add({ days: untilInDays })
      .startOfDay()
      .toString({ timeZoneName: 'never', smallestUnit: 'second' })
    const saved = await saveOfferDraft(services, id, draftRev, { ...draft, sale: { amount, from: null, until, scope } })
    await publishOffer(services, id, saved.draftRev, null)
  }
}

/** Leaves the school in the state that the demo wants to show: changed drafts, and what was taken off sale. */
export async function leaveAs(services: Services, life: DemoLife): Promise<void> {
  for (const { offer, amount } of life.drafts) {
    const id = offerOf(life, offer)
    const { draft, draftRev } = await getOffer(services.db, id)
    const content = { ...newOffer(draft.name), terms: { kind: 'single' as const, amount } }
    await saveOfferDraft(services, id, draftRev, content)
  }
  for (const key of life.offSale) {
    for (const id of Object.values(life.products[key]?.offers ?? {})) await setOnSale(services, id, false)
  }
}
