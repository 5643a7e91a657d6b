import { eq } from 'drizzle-orm'
import { beforeEach, describe, expect, it } from 'vitest'
import { newCoupon } from '../../core/content/coupon.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { MONTHLY, WHILE_PAYING } from '../../testing/terms.ts'
import { openFront, publishFront, saveFrontDraft } from '../catalogue/front.ts'
import { checkOrder } from '../checkout/status.ts'
import { openPage, publishPage, savePageDraft } from '../checkoutPages/bench.ts'
import { createCoupon, publishCoupon, saveCouponDraft } from '../coupons/service.ts'
import {
  basketLines,
  baskets,
  checkoutPages,
  offers,
  orderLines,
  orders,
  people,
  rateLimits,
} from '../db/schema/index.ts'
import type { Problem } from '../http/problem.ts'
import { checkoutView } from '../pages/checkout.ts'
import { pageRoutes } from '../pages/routes.ts'
import { thanksView } from '../pages/service.ts'
import { upsellView } from '../pages/upsell.ts'
import type { CheckoutView } from '../pages/views.ts'
import { joinPeople } from '../people/join.ts'
import { Limits } from '../platform/limits.ts'
import { hashToken } from '../platform/secrets.ts'
import { getSchool } from '../school/service.ts'
import { openSession } from '../session/sessions.ts'
import type { Visitor } from '../session/visitor.ts'
import { countIn, endOldBaskets, findBasket, putIn, setTakenOut } from './basket.ts'
import { type BasketView, basketView } from './shown.ts'

/** What somebody collects before they pay for it. */
const world = ownWorld()
let n = 0
type Sold = Awaited<ReturnType<typeof world.sell>>
let coptic: Sold
let paper: Sold
let club: Sold
beforeEach(async () => {
  n++
  await begin(`basket ${n}`)
  if (n === 1) {
    const { draft, draftRev } = await openFront(world.services)
    const saved = await saveFrontDraft(world.services, draftRev, { ...draft, hasBasket: true })
    await publishFront(world.services, saved.draftRev, null)
  }
  coptic = await world.sell(12_900, `Coptic ${n}`)
  paper = await world.sell(2400, `Paper ${n}`)
  club = await world.sell(MONTHLY, `Club ${n}`, { access: WHILE_PAYING })
})

const visitor = (name = `basket ${n}`, person: Visitor['person'] = null): Visitor => ({
  mode: 'practice',
  person,
  browserHash: hashToken(`browser ${name}`),
  basketHash: hashToken(name),
})
/** A basket that a browser has begun: its cookie is one of ours. */
const begin = (name: string) =>
  world.db.insert(baskets).values({ mode: 'practice', tokenHash: hashToken(name), changedAt: world.services.now() })
const cookies = (name = `basket ${n}`) => ({ cookie: `acorn_basket=${name}; acorn_browser=browser ${name}` })
const show = async (who = visitor()): Promise<BasketView> => basketView(world.services, await getSchool(world.db), who)
const checkout = async (who = visitor(), without: string[] = []): Promise<CheckoutView> => {
  const view = await checkoutView(world.services, await getSchool(world.db), 'basket', who, { without })
  if (view.name !== 'checkout') throw new Error(view.name)
  return view
}
const post = (path: string, fields: Record<string, string>, headers: Record<string, string> = cookies()) =>
  fetch(world.origin + path, {
    method: 'POST',
    headers: { origin: world.origin, ...headers },
    body: new URLSearchParams(fields),
    redirect: 'manual',
  })
const put = (...all: Sold[]) =>
  putIn(
    world.services,
    visitor(),
    all.map(({ offerId }) => offerId),
  )
const titles = (view: BasketView) => view.lines.map(({ card }) => card.title)
const pay = async (view: CheckoutView, amount: number, more: object = {}, headers = cookies()) => {
  const [first] = view.offers
  const lines = [{ offerId: first?.id, chosen: null }, ...view.also.map(({ offerId, chosen }) => ({ offerId, chosen }))]
  const answer = await world.call(
    'POST',
    '/api/shop/checkout/basket',
    { ...world.request('', amount, { email: `b${n}@post.example` }), lines, ...more },
    headers,
  )
  return { status: answer.status, ...((await answer.json()) as { state: string; orderId: string; code?: string }) }
}
const buyerOf = async (email: string) =>
  (await world.db.select().from(people).where(eq(people.email, email)))[0] ?? null

describe('a basket', () => {
  it('is filled by plain forms, holds each thing once, and is this browser’s alone', async () => {
    const added = await post('/basket/add', { offer: coptic.offerId })
    expect([added.status, added.headers.get('location')]).toEqual([303, '/basket'])
    await post('/basket/add', { offer: paper.offerId })
    await post('/basket/add', { offer: coptic.offerId })
    const view = await show()
    expect(titles(view)).toEqual([`Coptic ${n}`, `Paper ${n}`])
    expect(view).toMatchObject({ today: 15_300, hasLater: false })
    expect(await show(visitor('another'))).toMatchObject({ lines: [], today: null, link: null })
    // Nor is it shown in the other mode.
    expect(await show({ ...visitor(), mode: 'live' })).toMatchObject({ lines: [], today: null, link: null })
    expect(await countIn(world.services, { ...visitor(), mode: 'live' })).toBe(0)
    // A page of another origin changes nothing in it.
    const foreign = await post(
      '/basket/take-out',
      { product: paper.courseId },
      { ...cookies(), origin: 'http://evil.example' },
    )
    expect(foreign.status).toBe(403)
    expect(await countIn(world.services, visitor())).toBe(2)
  })

  it('gives a browser its cookie with the first thing, for ninety days', async () => {
    const answer = await post('/basket/add', { offer: coptic.offerId }, {})
    const cookie = answer.headers.getSetCookie().find((one) => one.startsWith('acorn_basket='))
    expect(cookie).toContain(`Max-Age=${90 * 86_400}`)
    expect(cookie).toContain('HttpOnly')
    const page = await fetch(`${world.origin}/basket`, { headers: { cookie: cookie?.split(';')[0] ?? '' } })
    expect(await page.text()).toContain(`Coptic ${n}`)
  })

  it('is begun from one address only so often, and filled by who has one as often as they like', async () => {
    await world.db.delete(rateLimits)
    const services = { ...world.services, limits: new Limits(world.db, { 'basket:ip': 2 }) }
    const app = pageRoutes(services, { render: () => ({ markup: '', parts: [] }) } as never)
    app.onError((error, c) => c.body(null, (error as Problem).status as 429))
    const add = (headers: Record<string, string>) =>
      app.request('/basket/add', {
        method: 'POST',
        headers: { origin: world.origin, 'content-type': 'application/x-www-form-urlencoded', ...headers },
        body: new URLSearchParams({ offer: coptic.offerId }).toString(),
      })
    const statuses = [await add({}), await add({}), await add({})].map(({ status }) => status)
    expect(statuses).toEqual([303, 303, 429])
    // A cookie that was made up begins one like none at all, and is replaced by one of ours.
    for (let made = 0; made < 20; made++) {
      expect((await add({ cookie: `acorn_basket=made-up-${made}` })).status).toBe(429)
    }
    expect((await add(cookies())).status).toBe(303)
    await world.db.delete(rateLimits)
    const begun = await add({ cookie: 'acorn_basket=made-up' })
    const [token] = begun.headers.getSetCookie().flatMap((set) => /^acorn_basket=([^;]+)/.exec(set)?.[1] ?? [])
    expect([begun.status, token]).not.toEqual([303, 'made-up'])
    for (let time = 0; time < 5; time++) expect((await add({ cookie: `acorn_basket=${token}` })).status).toBe(303)
  })

  it('lets a thing be taken out and put back, its offer switched, its own price named', async () => {
    const own = await world.offer(
      paper.courseId,
      { kind: 'openPrice', minimum: 400, suggested: 1200 },
      { name: 'Yours' },
    )
    await put(coptic, paper)
    await post('/basket/take-out', { product: coptic.courseId })
    expect((await show()).lines.map(({ isTakenOut }) => isTakenOut)).toEqual([true, false])
    expect(await countIn(world.services, visitor())).toBe(1)
    await post('/basket/put-back', { product: coptic.courseId })
    expect((await show()).today).toBe(15_300)
    await post('/basket/change', { product: paper.courseId, offer: own })
    expect((await show()).lines[1]).toMatchObject({ offerId: own, ownPrice: { minimum: 400, typed: '12.00' } })
    expect((await show()).today).toBe(14_100)
    await post('/basket/change', { product: paper.courseId, offer: own, price: '20' })
    expect((await show()).today).toBe(14_900)
    const wrong = await post('/basket/change', { product: paper.courseId, offer: own, price: '3.99' })
    expect(wrong.headers.get('location')).toBe(`/basket?wrong=${paper.courseId}&typed=3.99`)
    const page = await fetch(world.origin + wrong.headers.get('location'), { headers: cookies() })
    expect(await page.text()).toContain(`"wrong":{"productId":"${paper.courseId}","typed":"3.99"}`)
    expect((await show()).today).toBe(14_900)
    expect(await checkout()).toMatchObject({ also: [{ chosen: 2000 }] })
  })

  it('says what changed its price, ended, or is no longer sold, and the rest can be bought', async () => {
    const second = await world.offer(club.courseId, 9900, { name: 'A year' })
    await put(coptic, paper, club)
    await world.reprice(coptic.offerId, 13_900)
    await world.db.update(offers).set({ onSale: false }).where(eq(offers.id, paper.offerId))
    await world.db.update(offers).set({ onSale: false }).where(eq(offers.id, club.offerId))
    expect((await show()).lines).toMatchObject([
      { price: '€139', was: '€129', problem: null },
      { problem: 'It is no longer sold.', choices: [] },
      { problem: 'This price has ended. Choose another one, or take it out.', choices: [{ id: second }] },
    ])
    expect((await show()).today).toBe(13_900)
    expect(await checkout()).toMatchObject({ product: { title: `Coptic ${n}` }, also: [] })
  })

  it('holds at most twenty things, and nothing that is not sold', async () => {
    const many = await Promise.all(Array.from({ length: 20 }, (_, index) => world.sell(100, `Leaf ${n} ${index}`)))
    await put(...many)
    await expect(put(coptic)).rejects.toMatchObject({ status: 409, code: 'basket-full' })
    const added = await world.offer(paper.courseId, 100, { audience: { who: 'added' } })
    await expect(putIn(world.services, visitor('x'), [added])).rejects.toMatchObject({ code: 'not-on-sale' })
    await expect(putIn(world.services, visitor('x'), [crypto.randomUUID()])).rejects.toMatchObject({ status: 410 })
  })

  it('travels in a link that holds what is in it and nothing of who sent it', async () => {
    await put(coptic, paper)
    const link = new URL((await show()).link ?? '')
    expect(link.search).toBe(`?with=${coptic.offerId},${paper.offerId}`)
    await begin(`phone ${n}`)
    const elsewhere = cookies(`phone ${n}`)
    const answer = await fetch(`${world.origin}${link.pathname}${link.search}`, {
      headers: elsewhere,
      redirect: 'manual',
    })
    expect([answer.status, answer.headers.get('location')]).toEqual([303, '/basket'])
    expect(titles(await show(visitor(`phone ${n}`)))).toEqual([`Coptic ${n}`, `Paper ${n}`])
  })

  it('joins that of the account at sign-in, nothing doubled, and leaves the browser with it', async () => {
    await world.buy(paper.slug, world.request(paper.offerId, 2400, { email: `j${n}@post.example` }), `j${n}`)
    const person = await buyerOf(`j${n}@post.example`)
    const home = visitor(`home ${n}`, person)
    await putIn(world.services, home, [coptic.offerId])
    await putIn(world.services, visitor(`phone ${n}`), [coptic.offerId, club.offerId])
    const signedIn = visitor(`phone ${n}`, person)
    expect(titles(await show(signedIn))).toEqual([`Coptic ${n}`, `Club ${n}`])
    expect(titles(await show(home))).toEqual([`Coptic ${n}`, `Club ${n}`])
    // Signed out, this browser has none of it.
    expect(titles(await show(visitor(`phone ${n}`)))).toEqual([])
    // An account without one takes the browser's over; signed out, that browser has none of it either.
    await world.buy(paper.slug, world.request(paper.offerId, 2400, { email: `k${n}@post.example` }), `k${n}`)
    const other = await buyerOf(`k${n}@post.example`)
    await putIn(world.services, visitor(`desk ${n}`), [coptic.offerId])
    expect(titles(await show(visitor(`desk ${n}`, other)))).toEqual([`Coptic ${n}`])
    expect(titles(await show(visitor(`desk ${n}`)))).toEqual([])
    // What was taken out on one side and collected on the other is wanted; what was taken out on both is not.
    await setTakenOut(world.services, home, coptic.courseId, true)
    await setTakenOut(world.services, home, club.courseId, true)
    await putIn(world.services, visitor(`work ${n}`), [coptic.offerId, club.offerId])
    await setTakenOut(world.services, visitor(`work ${n}`), club.courseId, true)
    const joined = await show(visitor(`work ${n}`, person))
    expect(joined.lines.map(({ card, isTakenOut }) => [card.title, isTakenOut])).toEqual([
      [`Coptic ${n}`, false],
      [`Club ${n}`, true],
    ])
    await setTakenOut(world.services, home, club.courseId, false)
    // Several pages of a browser that has just signed in, at once.
    await putIn(world.services, visitor(`tab ${n}`), [paper.offerId])
    const tab = visitor(`tab ${n}`, person)
    await Promise.all(Array.from({ length: 6 }, () => findBasket(world.services, tab)))
    expect(titles(await show(tab))).toHaveLength(3)
    const cookie = `acorn_shop=${await openSession(world.services, { personId: person?.id as string })}`
    const page = await (await fetch(`${world.origin}/basket`, { headers: { cookie } })).text()
    expect(page).toContain(`Club ${n}`)
  })

  it('ends ninety days after it was changed, and goes with persons who are joined', async () => {
    await put(coptic)
    expect(await endOldBaskets(world.services, new Date(world.services.now().getTime() + 89 * 86_400_000))).toBe(0)
    for (const who of ['one', 'two'])
      await world.buy(
        paper.slug,
        world.request(paper.offerId, 2400, { email: `${who}${n}@post.example` }),
        `${who}${n}`,
      )
    const [one, two] = [await buyerOf(`one${n}@post.example`), await buyerOf(`two${n}@post.example`)]
    await putIn(world.services, visitor(`two ${n}`, two), [club.offerId])
    await joinPeople(world.services, 'practice', one?.id as string, two?.id as string, 'the same')
    expect(titles(await show(visitor(`one ${n}`, one)))).toEqual([`Club ${n}`])
    const ended = await endOldBaskets(world.services, new Date(world.services.now().getTime() + 91 * 86_400_000))
    expect(ended).toBeGreaterThan(1)
    expect(await world.db.$count(baskets)).toBe(0)
    expect(await world.db.$count(basketLines)).toBe(0)
  })
})

describe('what is said before paying', () => {
  it('a course that would be paid for twice, in words at both lines', async () => {
    const bundle = await world.bundle([coptic.courseId, paper.courseId], 13_900, `Shelf ${n}`)
    await putIn(world.services, visitor(), [paper.offerId, bundle.offerId])
    const [first, second] = (await show()).lines
    expect(first?.warnings).toEqual([`“Paper ${n}” is also in “Shelf ${n}”: you would pay for it twice.`])
    expect(second?.warnings).toEqual([`“Paper ${n}” is in your basket on its own, too: you would pay for it twice.`])
    expect((await checkout()).warnings).toEqual([
      `You would pay for “Paper ${n}” twice: in “Paper ${n}” and “Shelf ${n}”. Take one out of your basket, or go on.`,
    ])
  })

  it('what its buyer has already is said, and not ordered; a members’ price needs the membership before', async () => {
    const { orderId } = await world.buy(
      paper.slug,
      world.request(paper.offerId, 2400, { email: `h${n}@post.example` }),
      `h${n}`,
    )
    const person = await buyerOf(`h${n}@post.example`)
    expect(orderId).toBeTruthy()
    const members = await world.offer(coptic.courseId, 5000, {
      name: 'For members',
      audience: { who: 'holders', of: [club.courseId] },
    })
    const who = visitor(`h ${n}`, person)
    await putIn(world.services, who, [paper.offerId, members, club.offerId])
    const view = await show(who)
    expect(view.lines[0]?.problem).toContain('You have this course')
    expect(view.lines[1]?.problem).toMatch(/for members of Club \d+\. You need the membership before/)
    expect(view.lines[2]?.problem).toBeNull()
  })
})

describe('the checkout of a basket', () => {
  it('orders all of it at once: one payment, a line each, later payments with their own agreement', async () => {
    await put(coptic, paper, club)
    const view = await checkout()
    expect(view).toMatchObject({
      isBasket: true,
      heading: 'Your basket',
      gets: [`Coptic ${n}`, `Paper ${n}`, `Club ${n}`],
    })
    const today = (await show()).today as number
    expect(await pay(view, today - 1)).toMatchObject({ status: 409, code: 'price-changed' })
    const placed = await pay(view, today)
    expect(placed).toMatchObject({ status: 200, state: 'paid' })
    expect(await world.db.$count(orderLines, eq(orderLines.orderId, placed.orderId))).toBe(3)
    expect((await world.attemptsOf(placed.orderId)).map(({ amount }) => amount)).toEqual([today])
    // What was bought is removed from it.
    expect(await show()).toMatchObject({ lines: [] })
  })

  it('with a code, once for all that it is for', async () => {
    const { id } = await createCoupon(world.services)
    const { draftRev } = await saveCouponDraft(world.services, id, 1, { ...newCoupon(), code: `ALL${n}`, rate: 1000 })
    await publishCoupon(world.services, id, draftRev, null)
    await put(coptic, paper)
    expect(await pay(await checkout(), 13_770, { codes: [`ALL${n}`] })).toMatchObject({ state: 'paid' })
  })

  it('leaves out what a payment method cannot collect, which stays in the basket for an order of its own', async () => {
    const { transfer } = await world.connectOthers()
    await put(coptic, club)
    const payment = { connectionId: transfer, token: '' }
    const all = (await show()).today as number
    expect(await pay(await checkout(), all, { payment })).toMatchObject({ code: 'method-not-offered' })
    const view = await checkout(visitor(), [club.offerId])
    expect(view.also).toEqual([])
    expect(view.warnings).toEqual([`Club ${n} stays in your basket; you pay for it apart.`])
    const placed = await pay(view, 12_900, { payment })
    expect(placed.state).toBe('awaiting')
    expect(titles(await show())).toEqual([`Club ${n}`])
    expect(await thanksView(world.services, placed.orderId, visitor())).toMatchObject({ stillInBasket: [`Club ${n}`] })
  })

  it('goes on with an order that was begun before it, and is empty once that is paid', async () => {
    const begun = world.request(coptic.offerId, 12_900, { email: `b${n}@post.example` }, 'not-enough-money')
    await world.call('POST', `/api/shop/checkout/${coptic.slug}`, begun, cookies())
    world.clock.offsetMs += 60_000
    await put(coptic)
    expect(await pay(await checkout(), 12_900)).toMatchObject({ state: 'paid' })
    expect(titles(await show())).toEqual([])
  })

  it('declined, keeps all in the basket; another’s basket or order is not touched by it', async () => {
    await put(coptic, paper)
    await putIn(world.services, visitor('other'), [coptic.offerId])
    const declined = {
      payment: { connectionId: world.connectionId, token: world.standins.tokenOf('not-enough-money') },
    }
    expect(await pay(await checkout(), 15_300, declined)).toMatchObject({ state: 'declined' })
    expect(await countIn(world.services, visitor())).toBe(2)
    expect(await pay(await checkout(), 15_300)).toMatchObject({ state: 'paid' })
    expect(titles(await show(visitor('other')))).toEqual([`Coptic ${n}`])
    const [order] = await world.db
      .select()
      .from(orders)
      .where(eq(orders.fromBasketId, (await findBasket(world.services, visitor()))?.id as string))
    expect(order?.state).toBe('paid')
  })

  it('leads whoever comes back from a wallet on to what they paid for, also where its event was faster than they', async () => {
    const { moor } = await world.connectOthers()
    await put(coptic, paper)
    const placed = await pay(await checkout(), 15_300, { payment: { connectionId: moor, token: '' } })
    const { url } = placed as typeof placed & { url: string }
    const back = (await world.press(url, 'pays')).headers.get('location') ?? ''
    expect(new URL(back).search).toBe(`?back=${placed.orderId}`)
    const open = async (headers: Record<string, string>) => {
      const { status, headers: said } = await fetch(back, { headers, redirect: 'manual' })
      return [status, said.get('location')]
    }
    const shopper = { mode: 'practice', browserHash: visitor().browserHash as string, person: null } as const
    expect((await checkOrder(world.services, placed.orderId, shopper)).state).toBe('paid')
    expect(titles(await show())).toEqual([])
    expect(await open(cookies())).toEqual([303, `/next/${placed.orderId}`])
    // Nobody else is told whether it was paid.
    expect((await open(cookies('another')))[1]).toBeNull()
  })

  it('has order bumps and upsells of its own, but none for what is in it', async () => {
    const [page] = await world.db.select().from(checkoutPages).where(eq(checkoutPages.slug, 'basket'))
    const opened = await openPage(world.services, page?.id as string)
    expect(opened.product).toBeNull()
    const addition = { title: '', text: '', coverId: null }
    const boxes = await world.sell(4800, `Boxes ${n}`)
    const saved = await savePageDraft(world.services, opened.id, opened.draftRev, {
      ...opened.draft,
      bumps: [
        { id: 'paper', offerId: paper.offerId, tick: '', ...addition },
        { id: 'boxes', offerId: boxes.offerId, tick: '', ...addition },
      ],
      upsells: [{ id: 'one', offerId: club.offerId, onYes: null, onNo: null, ...addition }],
    })
    await publishPage(world.services, opened.id, saved.draftRev, null)
    await put(coptic, paper)
    const view = await checkout()
    expect(view.bumps.map(({ id }) => id)).toEqual(['boxes'])
    expect(view.hasUpsells).toBe(true)
    const placed = await pay(view, 15_300)
    expect(await upsellView(world.services, await getSchool(world.db), placed.orderId, visitor())).toMatchObject({
      offered: { title: `Club ${n}` },
    })
  })
})
