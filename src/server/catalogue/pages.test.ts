import { asc, eq } from 'drizzle-orm'
import { describe, expect, it } from 'vitest'
import type { PageContent } from '../../core/content/checkoutPage.ts'
import { EVERYDAY_PAGE } from '../../core/content/checkoutPage.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { transaction } from '../db/client.ts'
import { checkoutPages } from '../db/schema/index.ts'
import { makeLive } from '../drafts/drafts.ts'
import { checkoutView } from '../pages/checkout.ts'
import { getSchool } from '../school/service.ts'
import { findLivePage } from './pages.ts'
import { createCourse, duplicateCourse, getCourse, saveCourseDraft } from './service.ts'

const world = ownWorld()
const stranger = { mode: 'practice' as const, person: null, browserHash: null }
const pagesOf = (productId: string) =>
  world.db.select().from(checkoutPages).where(eq(checkoutPages.productId, productId)).orderBy(asc(checkoutPages.slug))
const show = async (slug: string, offer?: string) =>
  checkoutView(world.services, await getSchool(world.db), slug, stranger, { offerId: offer })

/** Publishes something else on a page. */
async function shape(pageId: string, live: PageContent) {
  const [page] = await world.db.select().from(checkoutPages).where(eq(checkoutPages.id, pageId))
  if (!page) throw new Error(pageId)
  await transaction(world.db, (tx) => makeLive(tx, 'page', page, { live, at: world.services.now(), by: null }))
}

describe('the page for every day', () => {
  it('is there with its product, live, and moves with its address until that is published', async () => {
    const { id } = await createCourse(world.services, 'Everyday paper')
    expect(await pagesOf(id)).toMatchObject([{ slug: 'everyday-paper', isEveryday: true, liveVersion: 1 }])
    const course = await getCourse(world.db, id)
    await saveCourseDraft(world.services, id, course.draftRev, { ...course.draft, title: 'Sunday paper' })
    expect(await pagesOf(id)).toMatchObject([{ slug: 'sunday-paper' }])
    expect(await findLivePage(world.db, 'everyday-paper')).toBeNull()
    // The first address names the product in the books, so nobody else gets it.
    const other = await createCourse(world.services, 'Everyday paper')
    expect(await pagesOf(other.id)).toMatchObject([{ slug: 'everyday-paper-2' }])
    expect(await pagesOf((await duplicateCourse(world.services, id)).id)).toMatchObject([{ liveVersion: 1 }])
  })

  it('shows every offer as the product lists them, the first one chosen', async () => {
    const { courseId, slug, offerId } = await world.sell(4800, 'Untouched')
    const second = await world.offer(courseId, 9900)
    expect(await show(slug)).toMatchObject({
      name: 'checkout',
      chosen: offerId,
      offers: [{ id: offerId }, { id: second }],
    })
    expect(await show('no-such-page')).toMatchObject({ status: 404 })
  })
})

describe('a page that was shaped', () => {
  it('shows its offers in its order with its own chosen; a link chooses another all the same', async () => {
    const { courseId, slug, offerId } = await world.sell(4800, 'Shaped')
    const [second, third] = [await world.offer(courseId, 9900), await world.offer(courseId, 1900)]
    const [page] = await pagesOf(courseId)
    await shape(page?.id as string, { ...EVERYDAY_PAGE, offers: [third, second], chosen: second })
    expect(await show(slug)).toMatchObject({ chosen: second, offers: [{ id: third }, { id: second }] })
    expect(await show(slug, offerId)).toMatchObject({
      chosen: offerId,
      offers: [{ id: third }, { id: second }, { id: offerId }],
    })
  })

  it('an order remembers its page and the version that its buyer saw', async () => {
    const { courseId, slug, offerId } = await world.sell(4800, 'Remembered')
    const [page] = await pagesOf(courseId)
    const buy = async (email: string, at = slug) => {
      const { orderId } = await world.buy(at, world.request(offerId, 4800, { email }), email)
      return world.orderOf(orderId)
    }
    expect(await buy('first@page.example')).toMatchObject({ pageId: page?.id, pageVersion: 1 })
    await shape(page?.id as string, { ...EVERYDAY_PAGE, offers: [offerId] })
    expect(await buy('second@page.example')).toMatchObject({ pageId: page?.id, pageVersion: 2 })
    const at = world.services.now()
    const [spring] = await world.db
      .insert(checkoutPages)
      .values({
        productId: courseId,
        slug: 'spring',
        isEveryday: false,
        draft: EVERYDAY_PAGE,
        draftAt: at,
        createdAt: at,
      })
      .returning()
    // Not live yet, it is not there; live, it sells at its own address.
    await expect(buy('early@page.example', 'spring')).rejects.toMatchObject({ code: 'not-on-sale' })
    await shape(spring?.id as string, EVERYDAY_PAGE)
    expect(await show('spring')).toMatchObject({ name: 'checkout', chosen: offerId })
    expect(await buy('third@page.example', 'spring')).toMatchObject({ pageId: spring?.id, pageVersion: 1 })
  })
})
