import { eq } from 'drizzle-orm'
import sharp from 'sharp'
import { describe, expect, it } from 'vitest'
import { emptyPart, newShot } from '../../core/checkoutPages/parts.ts'
import { PAGE_STATES } from '../../core/checkoutPages/states.ts'
import { EVERYDAY_PAGE, type PageContent } from '../../core/content/checkoutPage.ts'
import { newCoupon } from '../../core/content/coupon.ts'
import { newOffer } from '../../core/content/offer.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { createCourse } from '../catalogue/service.ts'
import { usesOf } from '../catalogue/uses.ts'
import { createCoupon, openCoupon, publishCoupon, saveCouponDraft } from '../coupons/service.ts'
import { checkoutPages, orders } from '../db/schema/index.ts'
import { keepPicture } from '../media/pictures.ts'
import { createOffer, saveOfferDraft, setOnSale } from '../offers/service.ts'
import { checkoutView, movedTo } from '../pages/checkout.ts'
import { pageInState } from '../pages/states.ts'
import { getSchool } from '../school/service.ts'
import { openOrder } from '../support/orders.ts'
import { openPage, pageVersion, pageVersions, publishPage, savePageDraft } from './bench.ts'
import { createPage, deletePage, makeMain, movePage, setPageRetired } from './make.ts'

const world = ownWorld()
const stranger = { mode: 'practice', person: null, browserHash: null } as const
const show = async (slug: string, query = {}) =>
  checkoutView(world.services, await getSchool(world.db), slug, stranger, query)

/** A page of its own, published with whatever is said of it. */
async function published(productId: string, name: string, patch: Partial<PageContent> = {}) {
  const { id } = await createPage(world.services, { productId, name, from: { arrangement: 'short' } })
  await republish(id, patch)
  return { id, slug: (await openPage(world.services, id)).slug }
}

async function republish(id: string, patch: Partial<PageContent>) {
  const page = await openPage(world.services, id)
  const saved = await savePageDraft(world.services, id, page.draftRev, { ...page.draft, ...patch })
  await publishPage(world.services, id, saved.draftRev, null)
}
const everydayOf = async (productId: string) => {
  const pages = await world.db.select().from(checkoutPages).where(eq(checkoutPages.productId, productId))
  return pages.find(({ isEveryday }) => isEveryday)?.id as string
}
let counter = 0
const inDays = (days: number) => new Date(world.services.now().getTime() + days * 86_400_000).toISOString()

describe('a page beside the everyday one', () => {
  it('takes over the order bumps and upsells of the main page where that is wanted', async () => {
    const course = await world.sell(4800, 'With additions')
    const other = await world.sell(1900, 'Added')
    const everyday = await everydayOf(course.courseId)
    const bump = { id: 'b', offerId: other.offerId, title: 'Also', text: '', coverId: null, tick: '' }
    await republish(everyday, { bumps: [bump], upsellsByTransfer: true })
    const make = async (takesOver: boolean) => {
      const page = { productId: course.courseId, name: 'Campaign', from: { arrangement: 'short' as const }, takesOver }
      return (await openPage(world.services, (await createPage(world.services, page)).id)).draft
    }
    expect(await make(true)).toMatchObject({ bumps: [bump], upsellsByTransfer: true, name: 'Campaign' })
    expect(await make(false)).toMatchObject({ bumps: [], upsellsByTransfer: false })
  })

  it('is made from an arrangement or a copy, also of another product, and sells nothing before it is published', async () => {
    const course = await world.sell(4800, 'Copied')
    const other = await world.sell(1900, 'Other')
    const first = await published(course.courseId, 'The spring page', { offers: [course.offerId], code: '' })
    expect(first.slug).toBe('the-spring-page')
    const copy = await createPage(world.services, {
      productId: other.courseId,
      name: 'The spring page',
      from: { copyOf: first.id },
    })
    const page = await openPage(world.services, copy.id)
    expect(page).toMatchObject({
      slug: 'the-spring-page-2',
      live: null,
      draft: { offers: null, name: 'The spring page' },
    })
    expect(page.draft.parts.map(({ kind }) => kind)).toEqual(['opening', 'gets', 'guarantee'])
    expect(await show('the-spring-page-2')).toMatchObject({ status: 404 })
    await expect(
      world.buy('the-spring-page-2', world.request(other.offerId, 1900, { email: 'early@page.example' })),
    ).rejects.toMatchObject({ code: 'not-on-sale' })
  })

  it('has an address of its own; what it was called before leads on, and nobody else gets it', async () => {
    const course = await world.sell(4800, 'Moved')
    const { id, slug } = await published(course.courseId, 'Moved page')
    await movePage(world.services, id, 'moved-to')
    expect(await movedTo(world.services, slug, stranger, '?from=x')).toBe('/buy/moved-to?from=x')
    expect(await show(slug)).toMatchObject({ name: 'checkout', slug: 'moved-to' })
    // An order that was begun at the old one is placed.
    expect(await world.buy(slug, world.request(course.offerId, 4800, { email: 'old@page.example' }))).toMatchObject({
      state: 'paid',
    })
    const other = await published(course.courseId, 'Another')
    for (const taken of ['moved-to', slug, course.slug, 'basket']) {
      await expect(movePage(world.services, other.id, taken)).rejects.toMatchObject({ errors: [{ at: '/slug' }] })
    }
    const { id: newCourse } = await createCourse(world.services, 'Moved page')
    expect(await openPage(world.services, await everydayOf(newCourse))).toMatchObject({ slug: 'moved-page-2' })
    await movePage(world.services, id, slug)
    expect(await movedTo(world.services, slug, stranger)).toBeNull()
    await expect(movePage(world.services, await everydayOf(course.courseId), 'x')).rejects.toMatchObject({
      code: 'there-by-itself',
    })
  })

  it('can be the one to which buttons lead, once it is published; retired, they lead to the everyday one', async () => {
    const course = await world.sell(4800, 'Led')
    const draft = await createPage(world.services, {
      productId: course.courseId,
      name: 'Not yet',
      from: { arrangement: 'empty' },
    })
    await expect(makeMain(world.services, draft.id)).rejects.toMatchObject({ code: 'not-live' })
    const { id, slug } = await published(course.courseId, 'Led here')
    const buy = async () => {
      const view = await show(course.slug)
      return view.name === 'checkout' ? view.product.buy : null
    }
    expect(await buy()).toBe(`/buy/${course.slug}`)
    await makeMain(world.services, id)
    expect(await buy()).toBe(`/buy/${slug}`)
    expect(await usesOf(world.services, { page: id })).toMatchObject([{ what: 'main', title: 'Led' }])
    await expect(deletePage(world.services, id)).rejects.toMatchObject({ code: 'is-main' })
    await setPageRetired(world.services, id, true)
    expect(await buy()).toBe(`/buy/${course.slug}`)
    expect(await show(slug)).toMatchObject({ status: 410 })
    await expect(
      world.buy(slug, world.request(course.offerId, 4800, { email: 'retired@page.example' })),
    ).rejects.toMatchObject({ code: 'page-over' })
    await deletePage(world.services, id)
    expect(await show(slug)).toMatchObject({ status: 404 })
  })

  it('on which something was ordered is kept; the order remembers its version and where its buyer came from', async () => {
    const course = await world.sell(4800, 'Kept')
    const { id, slug } = await published(course.courseId, 'Kept page')
    await republish(id, { name: 'Kept page, again' })
    const request = world.request(course.offerId, 4800, { email: 'from@page.example', from: 'letter march' })
    const { orderId } = await world.buy(slug, request)
    const [order] = await world.db.select().from(orders).where(eq(orders.id, orderId))
    expect(order).toMatchObject({ pageId: id, pageVersion: 2, cameFrom: 'letter march' })
    const page = { id, version: 2, name: 'Kept page, again', isEveryday: false }
    expect(await openOrder(world.services, 'practice', orderId)).toMatchObject({ page })
    await expect(deletePage(world.services, id)).rejects.toMatchObject({ code: 'was-sold' })
    expect((await pageVersions(world.services, id)).map(({ version }) => version)).toEqual([2, 1])
    expect((await pageVersion(world.services, id, 1)).name).toBe('Kept page')
    await expect(pageVersion(world.services, id, 3)).rejects.toMatchObject({ status: 404 })
  })
})

it('what an address says of its visitor is plain text on the page, of one line, and no longer than is kept', async () => {
  const { slug } = await world.sell(4800, 'Parameters')
  const lie = `</script><script>alert(1)</script>\n\u202e"'${'x'.repeat(300)}`
  const query = new URLSearchParams({ name: lie, email: lie, from: lie, code: lie, offer: lie })
  const answer = await fetch(`${world.origin}/buy/${slug}?${query}`)
  expect(answer.status).toBe(200)
  const html = await answer.text()
  expect(html).not.toContain('<script>alert')
  const [, data = '{}'] = /<script type="application\/json" id="page">(.*?)<\/script>/s.exec(html) ?? []
  const { view } = JSON.parse(data) as { view: { prefill: { name: string }; from: string; codes: string[] } }
  expect(view.from).toHaveLength(100)
  expect(view.prefill.name).not.toMatch(/[\p{Cc}\p{Cf}]/u)
  expect(view.codes[0]?.length).toBeLessThanOrEqual(60)
})

describe('a page that ends', () => {
  it('sells until then; afterwards it says so, or leads to another that has not ended', async () => {
    const course = await world.sell(4800, 'Ends')
    const next = await published(course.courseId, 'Next page')
    const { id, slug } = await published(course.courseId, 'Ends soon', { ends: { at: inDays(2), leadsTo: next.id } })
    const buy = () => world.buy(slug, world.request(course.offerId, 4800, { email: `ends${++counter}@page.example` }))
    expect(await show(slug)).toMatchObject({ name: 'checkout', slug })
    expect(await buy()).toMatchObject({ state: 'paid' })
    expect(await usesOf(world.services, { page: next.id })).toEqual([
      { what: 'leads-here', title: 'Ends soon', path: `/studio/sell/pages/${id}` },
    ])
    world.clock.offsetMs = 3 * 86_400_000
    expect(await movedTo(world.services, slug, stranger)).toBe(`/buy/${next.slug}`)
    expect(await show(slug)).toMatchObject({ name: 'checkout', slug: next.slug })
    await expect(buy()).rejects.toMatchObject({ status: 410, code: 'page-over' })
    await setPageRetired(world.services, next.id, true)
    expect(await show(slug)).toMatchObject({ status: 410, title: 'Ends soon is over.' })
  })

  it('is not published with an end in the past, or that leads to what is gone', async () => {
    const course = await world.sell(4800, 'Wrong end')
    const { id } = await createPage(world.services, {
      productId: course.courseId,
      name: 'Wrong end',
      from: { arrangement: 'short' },
    })
    const wrong = async (ends: PageContent['ends']) => republish(id, { ends })
    await expect(wrong({ at: inDays(-1), leadsTo: null })).rejects.toMatchObject({ errors: [{ at: '/ends/at' }] })
    await expect(wrong({ at: inDays(1), leadsTo: id })).rejects.toMatchObject({ errors: [{ at: '/ends/leadsTo' }] })
    const { id: unpublished } = await createPage(world.services, {
      productId: course.courseId,
      name: 'Draft',
      from: { arrangement: 'short' },
    })
    await expect(wrong({ at: inDays(1), leadsTo: unpublished })).rejects.toMatchObject({
      errors: [{ at: '/ends/leadsTo' }],
    })
  })
})

describe('what stands on a page', () => {
  it('is cleaned when it is saved, and needs its pictures described before it is published', async () => {
    const course = await world.sell(4800, 'Cleaned')
    const text = {
      ...emptyPart('text', 'text'),
      html: '<p onclick="x()">A<script>x()</script><a href="javascript:x">b</a></p>',
    }
    const { id } = await createPage(world.services, {
      productId: course.courseId,
      name: 'Cleaned',
      from: { arrangement: 'empty' },
    })
    const saved = await savePageDraft(world.services, id, 1, { ...EVERYDAY_PAGE, parts: [text] })
    expect(saved.draft.parts[0]).toMatchObject({ html: '<p>A<a rel="noopener nofollow">b</a></p>' })
    const opening = { ...emptyPart('opening', 'opening'), behind: 'picture' as const }
    await expect(republish(id, { parts: [opening] })).rejects.toMatchObject({ errors: [{ at: '/parts/0/picture' }] })
    const shot = newShot(crypto.randomUUID())
    await expect(republish(id, { parts: [{ ...opening, picture: shot }] })).rejects.toMatchObject({
      errors: [{ at: '/parts/0/picture', why: expect.stringContaining('Describe the picture') }],
    })
    await republish(id, { parts: [{ ...opening, picture: { ...shot, isDecoration: true } }] })
  })

  it('its first picture is there at once as a coarse copy, and no other', async () => {
    const course = await world.sell(4800, 'Pictured')
    const green = { create: { width: 600, height: 300, channels: 3, background: '#285a3c' } } as const
    const file = await sharp(green).png().toBuffer()
    const [first, second] = await Promise.all([keepPicture(world.services, file), keepPicture(world.services, file)])
    const shown = (id: string) => ({ ...newShot(id), isDecoration: true })
    const { slug } = await published(course.courseId, 'Pictured', {
      parts: [
        { ...emptyPart('text', 'text'), html: '<p>A word before</p>' },
        { ...emptyPart('picture', 'first'), place: 'above', picture: shown(first.id) },
        { ...emptyPart('picture', 'second'), place: 'above', picture: shown(second.id) },
      ],
    })
    const pictures = {
      [first.id]: { preview: expect.stringMatching(/^data:image\/webp;base64,/) },
      [second.id]: { preview: null },
    }
    expect(await show(slug)).toMatchObject({ page: { facts: { pictures } } })
  })

  it('a code that is applied by itself must exist, comes with the page, and counts in the order', async () => {
    const course = await world.sell(10_000, 'Coded')
    const { id, slug } = await published(course.courseId, 'Coded page')
    await expect(republish(id, { code: 'NOSUCH' })).rejects.toMatchObject({ errors: [{ at: '/code' }] })
    const coupon = await createCoupon(world.services)
    const opened = await openCoupon(world.services, coupon.id, 'practice')
    const content = { ...newCoupon(), code: 'PAGE10' }
    const saved = await saveCouponDraft(world.services, coupon.id, opened.draftRev, {
      ...opened.draft,
      ...content,
    } as never)
    await publishCoupon(world.services, coupon.id, saved.draftRev, null)
    await republish(id, { code: 'page10' })
    expect((await openCoupon(world.services, coupon.id, 'practice')).pages).toEqual([{ id, name: 'Coded page' }])
    const view = await show(slug)
    if (view.name !== 'checkout') throw new Error(view.name)
    expect(view.codes).toEqual(['page10'])
    expect(view.answered?.quote.today.pay).toBe(9000)
    // What the visitor's own link says comes first.
    expect(await show(slug, { code: 'OTHER' })).toMatchObject({
      codes: ['OTHER'],
      answered: { codes: [{ code: 'OTHER', counts: false }] },
    })
  })

  it('an offer that is sold by its link alone is sold by a page that names it', async () => {
    const course = await world.sell(4800, 'Linked')
    const linked = await world.offer(course.courseId, 900, { audience: { who: 'link' } })
    const { slug } = await published(course.courseId, 'Free week', { offers: [linked], chosen: linked })
    expect(await show(slug)).toMatchObject({ chosen: linked, offers: [{ id: linked }] })
    expect(await show(course.slug)).toMatchObject({ offers: [{ id: course.offerId }] })
  })
})

it('the bench shows the shop’s own page in every state, and stores nothing', async () => {
  const course = await world.sell(4800, 'In states')
  const { id } = await published(course.courseId, 'In states')
  const { draft } = await openPage(world.services, id)
  const school = await getSchool(world.db)
  const before = await world.db.$count(orders)
  const seen = new Map(
    await Promise.all(
      PAGE_STATES.map(async (state) => {
        const asked = { id, content: draft, state, mode: 'practice' as const }
        return [state, await pageInState(world.services, school, asked)] as const
      }),
    ),
  )
  expect(seen.get('first')?.view).toMatchObject({ name: 'checkout', isOwned: false, declined: null })
  expect(seen.get('known')?.visitor?.email).toContain('@example.org')
  expect(seen.get('owned')?.view).toMatchObject({ isOwned: true })
  expect(seen.get('declined')?.view).toMatchObject({ declined: 'not-enough-money' })
  expect(seen.get('free')?.view).toMatchObject({ offers: [{ quote: { today: { pay: 0 } } }] })
  expect(seen.get('noMethod')?.view).toMatchObject({ paymentMethods: [] })
  expect(seen.get('pageOver')?.view).toMatchObject({ name: 'notice', status: 410, title: 'In states is over.' })
  expect(await world.db.$count(orders)).toBe(before)
  expect(seen.get('first')?.isSelling).toBe(true)
})

it('a page is shaped before anything of its course is on sale, live or priced', async () => {
  const school = await getSchool(world.db)
  const asked = async (id: string) => {
    const { draft } = await openPage(world.services, id)
    return pageInState(world.services, school, { id, content: draft, state: 'first', mode: 'practice' })
  }
  const course = await world.sell(4800, 'Not on sale')
  await setOnSale(world.services, course.offerId, false)
  const offSale = await asked(await everydayOf(course.courseId))
  expect(offSale).toMatchObject({ isSelling: false, view: { name: 'checkout', offers: [{ id: course.offerId }] } })
  expect(await show(course.slug)).toMatchObject({ name: 'notice', status: 410 })

  // On sale, but not what this page names: nothing can be ordered on it, and its parts are there.
  const sold = await world.sell(4800, 'Sold elsewhere')
  const named = await world.offer(sold.courseId, 900)
  const own = await published(sold.courseId, 'Names one', { offers: [named], chosen: named })
  await setOnSale(world.services, named, false)
  expect(await asked(own.id)).toMatchObject({
    ...{ isSelling: false, view: { name: 'notice' } },
    withoutForm: { product: { title: 'Sold elsewhere' } },
  })

  const { id: newId } = await createCourse(world.services, 'Only a draft')
  const unpriced = await asked(await everydayOf(newId))
  const product = { title: 'Only a draft' }
  expect(unpriced).toMatchObject({ isSelling: false, view: { name: 'notice' }, withoutForm: { product } })
  const { id: offerId } = await createOffer(world.services, newId)
  await saveOfferDraft(world.services, offerId, 1, {
    ...newOffer('One payment'),
    terms: { kind: 'single', amount: 4800 },
  })
  expect(await asked(await everydayOf(newId))).toMatchObject({
    isSelling: false,
    view: { name: 'checkout', offers: [{ id: offerId }], page: { facts: { product } } },
  })
})
