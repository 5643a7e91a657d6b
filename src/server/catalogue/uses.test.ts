import { eq } from 'drizzle-orm'
import { expect, it } from 'vitest'
import { newCoupon } from '../../core/content/coupon.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { openPage, savePageDraft } from '../checkoutPages/bench.ts'
import { createPage } from '../checkoutPages/make.ts'
import { createCoupon, saveCouponDraft } from '../coupons/service.ts'
import { checkoutPages } from '../db/schema/index.ts'
import { setOfferRetired } from '../offers/service.ts'
import { openFront, saveFrontDraft } from './front.ts'
import { usesOf } from './uses.ts'

const world = ownWorld()

it('every place where something is used is found, of a product by any of its offers, and of nothing else', async () => {
  const main = await world.sell(12_900, 'Sewing in use')
  const added = await world.sell(2400, 'Paper in use')
  const unused = await world.sell(900, 'Not in use')
  const [page] = await world.db.select().from(checkoutPages).where(eq(checkoutPages.productId, main.courseId))
  const pageId = page?.id as string
  const { draft, draftRev } = await openPage(world.services, pageId)
  const bump = { id: 'b', offerId: added.offerId, title: '', text: '', coverId: null, tick: '' }
  await savePageDraft(world.services, pageId, draftRev, { ...draft, chosen: main.offerId, bumps: [bump] })
  const coupon = await createCoupon(world.services)
  const appliesTo = { products: [added.courseId], offers: [main.offerId] }
  await saveCouponDraft(world.services, coupon.id, 1, { ...newCoupon(), code: 'INUSE', appliesTo })
  const forHolders = await world.offer(main.courseId, 100, {
    name: 'For paper makers',
    audience: { who: 'holders', of: [added.courseId] },
  })
  const front = await openFront(world.services)
  await saveFrontDraft(world.services, front.draftRev, {
    ...front.draft,
    sections: [{ id: 's', title: 'Around paper', products: [added.courseId] }],
  })

  const onPage = { title: 'Sewing in use', path: `/studio/sell/pages/${pageId}` }
  const ofCoupon = { what: 'coupon', title: 'INUSE', path: `/studio/sell/coupons/${coupon.id}` }
  expect(await usesOf(world.services, { product: added.courseId })).toEqual([
    { what: 'bump', ...onPage },
    ofCoupon,
    { what: 'audience', title: 'Sewing in use, For paper makers', path: `/studio/sell/offers/${forHolders}` },
    { what: 'front', title: 'Around paper', path: '/studio/sell/front' },
  ])
  // The only offer of a product takes along what hangs on the product; of another one that is left, only its own.
  const ofProduct = { title: 'Paper in use', path: `/studio/sell/courses/${added.courseId}` }
  const members = { title: 'Sewing in use, For paper makers', path: `/studio/sell/offers/${forHolders}` }
  expect(await usesOf(world.services, { offer: added.offerId })).toEqual([
    { what: 'last-offer', ...ofProduct },
    { what: 'bump', ...onPage },
    ofCoupon,
    { what: 'audience', ...members },
    { what: 'front', title: 'Around paper', path: '/studio/sell/front' },
  ])
  const second = await world.offer(added.courseId, 300, { name: 'Second' })
  expect(await usesOf(world.services, { offer: added.offerId })).toEqual([{ what: 'bump', ...onPage }])
  await setOfferRetired(world.services, second, true)
  expect(await usesOf(world.services, { offer: added.offerId })).toHaveLength(5)
  expect(await usesOf(world.services, { offer: second })).toEqual([])
  const { id: campaign } = await createPage(world.services, {
    productId: added.courseId,
    name: 'Paper in March',
    from: { arrangement: 'short' },
    takesOver: false,
  })
  expect(await usesOf(world.services, { offer: added.offerId })).toContainEqual({
    what: 'sells-nothing',
    title: 'Paper in March',
    path: `/studio/sell/pages/${campaign}`,
  })
  expect(await usesOf(world.services, { offer: main.offerId })).toEqual([{ what: 'page', ...onPage }, ofCoupon])
  expect(await usesOf(world.services, { product: unused.courseId })).toEqual([])
  expect(await usesOf(world.services, { offer: unused.offerId })).toEqual([
    { what: 'last-offer', title: 'Not in use', path: `/studio/sell/courses/${unused.courseId}` },
  ])
})
