import { asc, eq } from 'drizzle-orm'
import { beforeEach, describe, expect, it } from 'vitest'
import type { Bump } from '../../core/content/checkoutPage.ts'
import { newCoupon } from '../../core/content/coupon.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { MONTHLY, WHILE_PAYING } from '../../testing/terms.ts'
import { openPage, publishPage, savePageDraft } from '../checkoutPages/bench.ts'
import { createCoupon, publishCoupon, saveCouponDraft } from '../coupons/service.ts'
import { agreements, attempts, checkoutPages, offers, orderLines, people } from '../db/schema/index.ts'
import { checkoutView } from '../pages/checkout.ts'
import { bundleView, courseView, schoolView } from '../pages/service.ts'
import { refundLine } from '../refunds/service.ts'
import { getSchool } from '../school/service.ts'
import type { BasketAnswer } from './pageQuote.ts'

/** Something else that is ticked on a checkout page and ordered with it. */
const world = ownWorld()
type Sold = Awaited<ReturnType<typeof world.sell>>
let n = 0
let main: Sold
let added: Sold
let addedOffer = ''
beforeEach(async () => {
  n++
  main = await world.sell(12_900, `Sewing ${n}`)
  added = await world.sell(2400, `Paper ${n}`)
  addedOffer = await world.offer(added.courseId, 1800, { name: 'Beside', audience: { who: 'added' } })
  await shape([bump(addedOffer)])
})

const bump = (offerId: string, more: Partial<Bump> = {}): Bump => ({
  id: crypto.randomUUID(),
  offerId,
  title: '',
  text: '',
  coverId: null,
  tick: '',
  ...more,
})
const pageOf = async (productId: string) => {
  const [page] = await world.db.select().from(checkoutPages).where(eq(checkoutPages.productId, productId))
  return page?.id as string
}
async function shape(bumps: Bump[], productId = main.courseId) {
  const id = await pageOf(productId)
  const { draft, draftRev } = await openPage(world.services, id)
  const saved = await savePageDraft(world.services, id, draftRev, { ...draft, bumps })
  await publishPage(world.services, id, saved.draftRev, null)
}
const email = () => `bump${n}@post.example`
const lines = (...ids: string[]) => ids.map((offerId) => ({ offerId, chosen: null }))
const buy = (offerIds: string[], pay: number, more: object = {}) =>
  world.buy(
    main.slug,
    { ...world.request(main.offerId, pay, { email: email() }), lines: lines(...offerIds), ...more },
    `b${n}`,
  )
const quote = async (offerIds: string[], codes: string[] = [], slug = main.slug) => {
  const answer = await world.call('POST', `/api/shop/checkout/${slug}/quote`, { lines: lines(...offerIds), codes })
  return { status: answer.status, answer: (await answer.json()) as BasketAnswer }
}
const stranger = { mode: 'practice', person: null, browserHash: null } as const
const show = async (visitor: Parameters<typeof checkoutView>[3] = stranger) => {
  const view = await checkoutView(world.services, await getSchool(world.db), main.slug, visitor)
  if (view.name !== 'checkout') throw new Error(view.name)
  return view
}

describe('an order bump', () => {
  it('is shown with its price here and what it costs in the shop, by its own words or the product’s', async () => {
    expect((await show()).bumps).toMatchObject([
      {
        title: `Paper ${n}`,
        tick: `Add Paper ${n}`,
        price: '€18',
        inShop: 'In the shop: €24.00.',
        tax: 'VAT 20% is included.',
      },
    ])
    expect((await show()).bumps[0]?.opens).toBe('Opens at once · yours for good')
    // What it really costs there is the least for which everybody gets it.
    await world.offer(added.courseId, 2000)
    expect((await show()).bumps).toMatchObject([{ inShop: 'In the shop: €20.00.' }])
    await world.offer(added.courseId, 1500)
    expect((await show()).bumps).toMatchObject([{ inShop: null }])
    await shape([bump(addedOffer, { title: 'Endpapers', text: 'For this very book.', tick: 'Yes, paper too' })])
    expect((await show()).bumps).toMatchObject([
      { title: 'Endpapers', text: 'For this very book.', tick: 'Yes, paper too', product: `Paper ${n}` },
    ])
  })

  it('ticked, is one payment, one order, and a line of its own with its access and its refund', async () => {
    const { answer } = await quote([main.offerId, addedOffer])
    expect(answer.quote.lines.map(({ role }) => role)).toEqual(['main', 'bump'])
    const { orderId } = await buy([main.offerId, addedOffer], answer.quote.today.pay)
    const rows = await world.db
      .select()
      .from(orderLines)
      .where(eq(orderLines.orderId, orderId))
      .orderBy(asc(orderLines.position))
    expect(rows.map(({ role, title }) => [role, title])).toEqual([
      ['main', `Sewing ${n}`],
      ['bump', `Paper ${n}`],
    ])
    expect((await world.attemptsOf(orderId)).map(({ amount, state }) => [amount, state])).toEqual([
      [14_700, 'collected'],
    ])
    expect(await world.grantsOf(orderId)).toHaveLength(2)
    await refundLine(world.services, 'practice', orderId, {
      lineId: rows[1]?.id as string,
      amount: 1800,
      access: 'close',
      note: 'has some',
    })
    expect((await world.grantsOf(orderId)).map(({ courseId, endedAt }) => [courseId, endedAt === null])).toEqual(
      expect.arrayContaining([
        [main.courseId, true],
        [added.courseId, false],
      ]),
    )
  })

  it('with payments to come makes an agreement of its own', async () => {
    const club = await world.sell(MONTHLY, `Club ${n}`, { access: WHILE_PAYING })
    await shape([bump(club.offerId)])
    expect((await show()).bumps[0]?.price).toBe('€19 a month')
    const { orderId } = await buy([main.offerId, club.offerId], 14_800)
    const agreed = await world.db
      .select({ kind: agreements.kind, position: orderLines.position })
      .from(agreements)
      .innerJoin(orderLines, eq(orderLines.id, agreements.lineId))
      .where(eq(agreements.orderId, orderId))
    expect(agreed).toEqual([{ kind: 'subscription', position: 1 }])
  })

  it('is reduced by codes that are for bumps, and by no others', async () => {
    const coupon = async (bumps: boolean) => {
      const { id } = await createCoupon(world.services)
      const code = `B${n}-${bumps}`
      const { draftRev } = await saveCouponDraft(world.services, id, 1, { ...newCoupon(), code, bumps })
      await publishCoupon(world.services, id, draftRev, null)
      return code
    }
    const discounts = async (code: string) =>
      (await quote([main.offerId, addedOffer], [code])).answer.quote.lines.map(({ payments }) => payments[0]?.discount)
    expect(await discounts(await coupon(false))).toEqual([1290, 0])
    expect(await discounts(await coupon(true))).toEqual([1290, 180])
  })

  it('is not shown to who has it, nor where it is off sale', async () => {
    await world.buy(added.slug, world.request(added.offerId, 2400, { email: email() }), `b${n}`)
    const [person] = await world.db.select().from(people).where(eq(people.email, email()))
    expect((await show({ ...stranger, person: person ?? null })).bumps).toEqual([])
    expect((await show()).bumps).toHaveLength(1)
    await world.db.update(offers).set({ onSale: false }).where(eq(offers.id, addedOffer))
    expect((await show()).bumps).toEqual([])
    expect((await quote([main.offerId, addedOffer])).status).toBe(410)
  })
})

describe('an order bump that holds what is ordered already', () => {
  it('warns of what would be paid for twice; one that adds nothing is not shown', async () => {
    const other = await world.sell(4800, `Boxes ${n}`)
    const both = await world.bundle([main.courseId, other.courseId], 15_000, `Both ${n}`)
    await shape([bump(both.offerId)])
    expect((await show()).bumps).toMatchObject([
      { warning: `“Sewing ${n}” is part of what you order already: you would pay for it twice.` },
    ])
    await shape([bump(other.offerId)])
    expect((await show()).bumps).toMatchObject([{ warning: null }])
    await shape([bump(other.offerId), bump(addedOffer)], both.bundleId)
    const view = await checkoutView(world.services, await getSchool(world.db), both.slug, stranger)
    expect(view.name === 'checkout' && view.bumps.map(({ product }) => product)).toEqual([`Paper ${n}`])
  })

  it('says what who is signed in has of it', async () => {
    const other = await world.sell(4800, `Boxes ${n}`)
    const both = await world.bundle([added.courseId, other.courseId], 6000, `Both ${n}`)
    await shape([bump(both.offerId)])
    await world.buy(added.slug, world.request(added.offerId, 2400, { email: email() }), `b${n}`)
    const [person] = await world.db.select().from(people).where(eq(people.email, email()))
    expect((await show({ ...stranger, person: person ?? null })).bumps[0]?.warning).toContain(`“Paper ${n}”`)
    expect((await show()).bumps[0]?.warning).toBeNull()
  })
})

describe('an offer that is only added', () => {
  it('is listed nowhere, and not sold alone, by its link, or on a page that does not have it', async () => {
    const school = await getSchool(world.db)
    const course = await courseView(world.services, school, added.slug, stranger)
    expect(course.name === 'course' && course.offers.map(({ id }) => id)).toEqual([added.offerId])
    const linked = await checkoutView(world.services, school, added.slug, stranger, { offerId: addedOffer })
    expect(linked.name === 'checkout' && linked.offers.map(({ id }) => id)).toEqual([added.offerId])
    const shop = await schoolView(world.services, school)
    expect(
      shop.name === 'school' &&
        shop.sections.flatMap(({ products }) => products).find(({ slug }) => slug === added.slug)?.price,
    ).toBe('€24')
    expect((await quote([addedOffer], [], added.slug)).status).toBe(410)
    const other = await world.sell(1000, `Other ${n}`)
    expect((await quote([other.offerId, addedOffer], [], other.slug)).status).toBe(410)
    await expect(buy([addedOffer, main.offerId], 14_700)).rejects.toMatchObject({ status: 410 })
    // What a bundle saves is held against prices that everybody may pay.
    const bundle = await world.bundle([main.courseId, added.courseId], 10_000, `Both ${n}`)
    const view = await bundleView(world.services, school, bundle.slug, stranger)
    expect(view.name === 'bundle' && view.courses.map(({ price }) => price)).toEqual(['€129.00', '€24.00'])
  })

  it('is charged at its own price, whatever the browser says', async () => {
    await expect(buy([main.offerId, addedOffer], 12_900)).rejects.toMatchObject({ code: 'price-changed' })
    await expect(buy([main.offerId, addedOffer], 12_901)).rejects.toMatchObject({ code: 'price-changed' })
    const all = await world.db.select().from(attempts)
    expect(all.filter(({ amount }) => amount === 12_901)).toEqual([])
  })
})

describe('a page with order bumps', () => {
  const publish = async (bumps: Bump[]) =>
    shape(bumps).then(
      () => null,
      (error) => error.errors,
    )

  it('is published only with what can be bought there', async () => {
    const at = (index: number) => [expect.objectContaining({ at: `/bumps/${index}/offerId` })]
    expect(await publish([{ ...bump(addedOffer), offerId: null }])).toEqual(at(0))
    expect(await publish([bump(crypto.randomUUID())])).toEqual(at(0))
    expect(await publish([bump(main.offerId)])).toEqual(at(0))
    expect(await publish([bump(addedOffer), bump(addedOffer)])).toEqual(at(1))
    await world.db.update(offers).set({ onSale: false }).where(eq(offers.id, added.offerId))
    expect(await publish([bump(addedOffer), bump(added.offerId)])).toEqual(at(1))
    expect((await show()).bumps.map(({ offerId }) => offerId)).toEqual([addedOffer])
  })

  it('has at most three, and an order names the version that its buyer saw', async () => {
    const content = { offers: null, chosen: null, bumps: Array.from({ length: 4 }, () => bump(addedOffer)) }
    const id = await pageOf(main.courseId)
    const path = `/api/pages/${id}/draft`
    const headers = { cookie: `acorn_studio=${world.creatorToken}` }
    const refused = await world.call('PUT', path, { baseRev: 2, content }, headers)
    expect([refused.status, (await refused.json()).errors[0].at]).toEqual([422, '/content/bumps'])
    const { orderId } = await buy([main.offerId], 12_900)
    expect((await world.orderOf(orderId))?.pageVersion).toBe(2)
  })
})
