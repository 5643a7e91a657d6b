import { eq } from 'drizzle-orm'
import { beforeAll, describe, expect, it } from 'vitest'
import { newOffer } from '../../core/content/offer.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { shopper } from '../../testing/world.ts'
import { takeBack } from '../access/close.ts'
import { listGrants } from '../access/service.ts'
import { createCourse } from '../catalogue/service.ts'
import { offers, people } from '../db/schema/index.ts'
import { publishedOf } from '../drafts/drafts.ts'
import { createOffer, openOffer, publishOffer, saveOfferDraft } from '../offers/service.ts'
import { checkoutView } from '../pages/checkout.ts'
import { courseView, schoolView } from '../pages/service.ts'
import { hashToken } from '../platform/secrets.ts'
import { changeSchool, getSchool } from '../school/service.ts'
import { placeOrder } from './place.ts'

const world = ownWorld()
let club: { courseId: string; offerId: string; slug: string }
beforeAll(async () => {
  club = await world.sell(1900, 'The club')
})

const stranger = { mode: 'practice' as const, person: null, browserHash: hashToken('nobody') }
const browser = (name: string) => ({ ...stranger, browserHash: hashToken(name) })

/** Another published offer of a course, for who holds the club or who has the link. */
async function add(courseId: string, audience: ReturnType<typeof newOffer>['audience'], name = 'Special') {
  const { services } = world
  const { id } = await createOffer(services, courseId)
  const terms = { kind: 'free' as const }
  const { draftRev } = await saveOfferDraft(services, id, 1, { ...newOffer(name), terms, audience })
  await publishOffer(services, id, draftRev, null)
  return id
}

describe('an offer for holders', () => {
  it('is bought by the holder alone, for the holder’s own address', async () => {
    const course = await world.sell(9900, 'Holders one')
    const offerId = await add(course.courseId, { who: 'holders', of: [club.courseId] })
    const ask = (email: string) => world.request(offerId, 0, { email, payment: null })
    await expect(world.buy(course.slug, ask('eva@post.example'), 'eva')).rejects.toMatchObject({ code: 'not-for-you' })
    await world.buy(club.slug, world.request(club.offerId, 1900, { email: 'eva@post.example' }), 'eva')
    await expect(world.buy(course.slug, ask('friend@post.example'), 'eva')).rejects.toMatchObject({
      errors: [{ at: '/email' }],
    })
    // Whoever knows the address but is not that buyer has no price for members.
    await expect(world.buy(course.slug, ask('eva@post.example'), 'thief')).rejects.toMatchObject({
      code: 'not-for-you',
    })
    // Signed in elsewhere it is the same: for their own address, and for no other.
    const [person = null] = await world.db.select().from(people).where(eq(people.email, 'eva@post.example'))
    const signedIn = { ...shopper('elsewhere'), person }
    await expect(placeOrder(world.services, course.slug, ask('friend@post.example'), signedIn)).rejects.toMatchObject({
      errors: [{ at: '/email' }],
    })
    expect(await placeOrder(world.services, course.slug, ask('eva@post.example'), signedIn)).toMatchObject({
      state: 'paid',
    })
  })

  it('knows which of the courses it asks for are on sale', async () => {
    const course = await world.sell(9900, 'Asks for the club')
    const offerId = await add(course.courseId, { who: 'holders', of: [club.courseId] })
    const { id: draftOnly } = await createCourse(world.services, 'Nobody can buy this')
    const { memberships } = await openOffer(world.services, offerId, 'practice')
    const sold = (id: string) => memberships.find((other) => other.id === id)?.isSold
    expect([sold(club.courseId), sold(course.courseId), sold(draftOnly)]).toEqual([true, true, false])
  })

  it('is no longer for who was a holder', async () => {
    const course = await world.sell(9900, 'Holders two')
    const offerId = await add(course.courseId, { who: 'holders', of: [club.courseId] })
    await world.buy(club.slug, world.request(club.offerId, 1900, { email: 'old@post.example' }), 'old')
    const [person] = await world.db.select().from(people).where(eq(people.email, 'old@post.example'))
    const [grant] = await listGrants(world.services, { personId: person?.id as string })
    await takeBack(world.services, 'practice', grant?.id as string, 'left')
    await expect(
      world.buy(course.slug, world.request(offerId, 0, { email: 'old@post.example', payment: null }), 'old'),
    ).rejects.toMatchObject({ code: 'not-for-you' })
  })

  it('is shown to others with what it needs', async () => {
    const course = await world.sell(9900, 'Holders three')
    await add(course.courseId, { who: 'holders', of: [club.courseId] })
    const school = await getSchool(world.db)
    const needs = async (who: typeof stranger) => {
      const view = await courseView(world.services, school, course.slug, who)
      return view.name === 'course' ? view.offers.map((offer) => offer.needs) : []
    }
    const asked = [{ kind: 'course', slug: club.slug, title: 'The club' }]
    expect(await needs(stranger)).toEqual([null, { courses: asked, isMet: false }])
    await world.buy(club.slug, world.request(club.offerId, 1900, { email: 'kim@post.example' }), 'kim')
    expect(await needs(browser('kim'))).toEqual([null, { courses: asked, isMet: true }])
  })

  it('cannot be published for holders of nothing', async () => {
    const course = await world.sell(9900, 'Holders four')
    await expect(add(course.courseId, { who: 'holders', of: [] })).rejects.toMatchObject({
      errors: [{ at: '/audience/of' }],
    })
  })
})

describe('an offer behind its link', () => {
  it('is listed nowhere, and chosen by its link', async () => {
    const course = await world.sell(null, 'Linked')
    await world.db.update(offers).set({ onSale: false }).where(eq(offers.id, course.offerId))
    const id = await add(course.courseId, { who: 'link' }, 'By link')
    const school = await getSchool(world.db)
    const listed = await schoolView(world.services, school)
    expect(
      listed.name === 'school' && listed.sections.flatMap(({ products }) => products).map(({ slug }) => slug),
    ).not.toContain(course.slug)
    expect(await checkoutView(world.services, school, course.slug, stranger)).toMatchObject({ status: 410 })
    expect(await checkoutView(world.services, school, course.slug, stranger, { offerId: id })).toMatchObject({
      chosen: id,
      offers: [{ name: 'By link' }],
    })
  })
})

describe('the school in another currency', () => {
  it('keeps every figure, and forgets prices that no longer compare', async () => {
    const { offerId } = await world.sell(12_900, 'Priced')
    const school = await getSchool(world.db)
    const { id: _id, createdAt: _createdAt, shopMode: _shopMode, ...current } = school
    const settings = { ...current, language: 'en' as const }
    await changeSchool(world.services, { ...settings, currency: 'JPY' })
    const changed = await openOffer(world.services, offerId, 'practice')
    expect(changed).toMatchObject({ draft: { terms: { amount: 129 } }, live: { terms: { amount: 129 } } })
    expect(changed.history).toMatchObject([{ content: { terms: { amount: 129 } } }])
    await changeSchool(world.services, { ...settings, currency: 'EUR' })
    expect(await openOffer(world.services, offerId, 'practice')).toMatchObject({ draft: { terms: { amount: 12_900 } } })
    expect((await publishedOf(world.db, 'offer', [offerId])).get(offerId)).toHaveLength(1)
  })
})
