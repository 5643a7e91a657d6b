import { eq } from 'drizzle-orm'
import { newOffer, type OfferContent } from '../core/content/offer.ts'
import { makeApp } from '../server/app.ts'
import { createBundle, getBundle, publishBundle, saveBundleDraft } from '../server/bundles/service.ts'
import { createCourse, publishCourse } from '../server/catalogue/service.ts'
import { courses } from '../server/db/schema/index.ts'
import { createOffer, publishOffer, saveOfferDraft } from '../server/offers/service.ts'
import type { Renderer } from '../server/pages/renderer.ts'
import type { Services } from '../server/platform/context.ts'
import { setUp } from '../server/session/signIn.ts'
import { listen } from './standins.ts'

export const PASSWORD = 'a long enough password'

/** Pages without anything in them. */
export const NOTHING_RENDERED: Renderer = {
  // As if it were taken over whole, so that its data stands in it.
  render: async ({ view }) => ({ markup: '', parts: [view.name] }),
  form: async () => '',
  shopFiles: () => ({ scripts: [], preloads: [], styles: [], inlineStyle: '', extraHead: '' }),
  studioFiles: () => ({ scripts: [], preloads: [], styles: [], inlineStyle: '', extraHead: '' }),
}

/** The product on a free port of loopback, with pages that hold nothing; its services are made for that address. */
export async function listenAsProduct<S extends Services>(make: (origin: string) => S) {
  let answer: (request: Request) => Response | Promise<Response> = () => new Response(null, { status: 503 })
  const { origin, server } = await listen((request) => answer(request))
  const services = make(origin)
  answer = makeApp(services, NOTHING_RENDERED).fetch
  return { services, origin, server }
}

/** A school in Vienna that sells in euros, VAT inside. */
export async function setUpSchool(services: Services, name: string, owner: string): Promise<void> {
  await setUp(services, {
    school: {
      name,
      currency: 'EUR',
      language: 'en',
      leaveOutZeros: false,
      timeZone: 'Europe/Vienna',
      country: 'AT',
      taxMode: 'inclusive',
      taxRate: 2000,
    },
    creator: { name: 'Owner', email: owner, password: PASSWORD },
  })
}

/** A published course with one published offer. */
export async function putOnSale(services: Services, title: string, content: Partial<OfferContent>) {
  const { id: courseId } = await createCourse(services, title)
  await publishCourse(services, courseId, 1, null)
  const offerId = await offerMore(services, courseId, content)
  const [course] = await services.db.select().from(courses).where(eq(courses.id, courseId))
  return { courseId, offerId, slug: course?.slug as string }
}

/** A published bundle of courses with one published offer; `null`: of all courses. */
export async function bundleUp(
  services: Services,
  title: string,
  courseIds: readonly string[] | null,
  content: Partial<OfferContent>,
) {
  const { id: bundleId } = await createBundle(services, title)
  const bundle = await getBundle(services.db, bundleId)
  // What it is worth counts where it has no price of its own.
  const courses = (courseIds ?? []).map((id) => ({ id, figure: 5000 }))
  const draft = { ...bundle.draft, includesAll: courseIds === null, courses }
  const { draftRev } = await saveBundleDraft(services, bundleId, 1, draft)
  await publishBundle(services, bundleId, draftRev, null, null)
  const offerId = await offerMore(services, bundleId, content)
  return { bundleId, offerId, slug: bundle.slug }
}

/** Another published offer of a product. */
export async function offerMore(
  services: Services,
  productId: string,
  content: Partial<OfferContent>,
): Promise<string> {
  const { id } = await createOffer(services, productId)
  const { draftRev } = await saveOfferDraft(services, id, 1, { ...newOffer('One payment'), ...content })
  await publishOffer(services, id, draftRev, null)
  return id
}
