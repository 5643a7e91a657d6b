import { eq, sql } from 'drizzle-orm'
import { beforeEach, describe, expect, it } from 'vitest'
import type { Upsell } from '../../core/content/checkoutPage.ts'
import { type CouponContent, newCoupon } from '../../core/content/coupon.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { MONTHLY, WHILE_PAYING } from '../../testing/terms.ts'
import { shopper } from '../../testing/world.ts'
import type { Placed, PlaceRequest } from '../checkout/placing.ts'
import { checkOrder } from '../checkout/status.ts'
import { openPage, publishPage, savePageDraft } from '../checkoutPages/bench.ts'
import { createCoupon, openCoupon, publishCoupon, saveCouponDraft } from '../coupons/service.ts'
import {
  agreements,
  attempts,
  checkoutPages,
  codeUses,
  coupons,
  orderLines,
  orders,
  people,
} from '../db/schema/index.ts'
import { listMovements } from '../money/movements.ts'
import { sumSpan } from '../money/spans.ts'
import { thanksView } from '../pages/service.ts'
import { upsellView } from '../pages/upsell.ts'
import { listPeople } from '../people/service.ts'
import { getSchool } from '../school/service.ts'
import type { Visitor } from '../session/visitor.ts'
import { ordersCsv } from '../support/files.ts'
import { listOrders, openOrder, ordersFor } from '../support/orders.ts'
import { methodOf, refuseUpsell, takeUpsell } from './answer.ts'
import { forgetMethods } from './forget.ts'

/** What is offered between the payment and the thanks page. */
const world = ownWorld()
let n = 0
let main: Awaited<ReturnType<typeof world.sell>>
let paper: Awaited<ReturnType<typeof world.sell>>
let boxes: Awaited<ReturnType<typeof world.sell>>
let offer = ''
beforeEach(async () => {
  n++
  main = await world.sell(12_900, `Sewing ${n}`)
  paper = await world.sell(2400, `Paper ${n}`)
  boxes = await world.sell(4800, `Boxes ${n}`)
  offer = await world.offer(paper.courseId, 1800, { name: 'After', audience: { who: 'added' } })
  await shape([step('one', offer, { onYes: null, onNo: 'two' }), step('two', boxes.offerId)])
})

const step = (id: string, offerId: string, more: Partial<Upsell> = {}): Upsell => ({
  ...{ id, offerId, title: '', text: '', coverId: null, onYes: null, onNo: null },
  ...more,
})
async function shape(upsells: Upsell[], upsellsByTransfer = false) {
  const [page] = await world.db.select().from(checkoutPages).where(eq(checkoutPages.productId, main.courseId))
  const { id, draft, draftRev } = await openPage(world.services, page?.id as string)
  const saved = await savePageDraft(world.services, id, draftRev, { ...draft, upsells, upsellsByTransfer })
  await publishPage(world.services, id, saved.draftRev, null)
}
const browser = () => `u${n}`
const who = (name = browser()): Visitor & ReturnType<typeof shopper> => shopper(name)
const buyMain = async (more: Partial<PlaceRequest> = {}, pay = 12_900, behaviour = 'pays') => {
  const request = world.request(main.offerId, pay, { email: `u${n}@post.example`, ...more }, behaviour)
  return (await world.buy(main.slug, request, browser())).orderId
}
const show = async (orderId: string, visitor: Visitor = who()) =>
  upsellView(world.services, await getSchool(world.db), orderId, visitor)
const take = (
  orderId: string,
  pay: number,
  {
    at = 'one',
    payment = null,
    as = who(),
  }: {
    at?: string
    payment?: PlaceRequest['payment']
    as?: ReturnType<typeof who>
  } = {},
): Promise<Placed> => takeUpsell(world.services, orderId, at, { agreed: { pay, currency: 'EUR' }, payment }, as)
const no = (orderId: string, at = 'one') => refuseUpsell(world.services, orderId, at, who())
const followers = (orderId: string) => world.db.select().from(orders).where(eq(orders.followsId, orderId))
const card = (behaviour = 'pays') => ({
  connectionId: world.connectionId,
  token: world.standins.tokenOf(behaviour),
})
const withCode = async (content: Partial<CouponContent>) => {
  const { id } = await createCoupon(world.services)
  const { draftRev } = await saveCouponDraft(world.services, id, 1, { ...newCoupon(), code: `CODE${n}`, ...content })
  await publishCoupon(world.services, id, draftRev, null)
  return `CODE${n}`
}

it('is charged to the method that was used last, of the order or of what followed it', async () => {
  const first = await buyMain()
  const placed = await take(first, 1800, { payment: card() })
  const second = placed.orderId
  const [one, two] = [(await world.attemptsOf(first))[0], (await world.attemptsOf(second))[0]]
  const [order] = await world.db.select().from(orders).where(eq(orders.id, first))
  const settled = (id: string | undefined, savedMethod: string, minute: number) =>
    world.db
      .update(attempts)
      .set({ savedMethod, settledAt: new Date(Date.UTC(2026, 10, 18, 10, minute)) })
      .where(eq(attempts.id, id ?? ''))
  const charged = async () => (await methodOf(world.services, order as NonNullable<typeof order>))?.reference
  await settled(one?.id, 'of the order', 1)
  await settled(two?.id, 'of what followed', 2)
  expect(await charged()).toBe('of what followed')
  await settled(one?.id, 'of the order', 3)
  expect(await charged()).toBe('of the order')
})

describe('an upsell', () => {
  it('is shown to who paid, with its price here, what it costs in the shop, and what one press charges', async () => {
    const orderId = await buyMain()
    expect(await show(orderId)).toMatchObject({
      order: { pay: 12_900, isPaid: true, titles: [`Sewing ${n}`] },
      offered: { id: 'one', title: `Paper ${n}`, price: '€18', inShop: 'In the shop: €24.00.' },
      savedMethod: expect.stringMatching(/^card ending \d{4}$/),
      declined: null,
    })
    // Nobody is charged for looking, and nobody else sees it.
    expect(await followers(orderId)).toEqual([])
    expect(await show(orderId, who('another'))).toBeNull()
    expect(await show(orderId, { mode: 'practice', person: null, browserHash: null })).toBeNull()
  })

  it('taken by one press is an order of its own, charged to the same card, that names the one it follows', async () => {
    const orderId = await buyMain()
    const placed = await take(orderId, 1800)
    expect(placed.state).toBe('paid')
    const [own] = await followers(orderId)
    expect(own).toMatchObject({ id: placed.orderId, upsell: 'one', state: 'paid', payToday: 1800 })
    const [line] = await world.db.select().from(orderLines).where(eq(orderLines.orderId, placed.orderId))
    expect(line).toMatchObject({ role: 'upsell', title: `Paper ${n}` })
    expect((await world.attemptsOf(placed.orderId)).map(({ amount, state }) => [amount, state])).toEqual([
      [1800, 'collected'],
    ])
    expect((await world.grantsOf(placed.orderId)).map(({ courseId }) => courseId)).toEqual([paper.courseId])
    // A yes leads to the thanks page here, which says what was taken.
    expect(await show(orderId)).toBeNull()
    expect(await thanksView(world.services, orderId, who())).toMatchObject({
      name: 'thanks',
      followers: [{ id: placed.orderId, title: `Paper ${n}`, pay: 1800, isPaid: true, course: paper.slug }],
    })
  })

  it('pressed many times at once, in several tabs, is charged once', async () => {
    const orderId = await buyMain()
    const answers = await Promise.all(Array.from({ length: 8 }, () => take(orderId, 1800)))
    expect(answers.every(({ state }) => state === 'paid' || state === 'checking')).toBe(true)
    const own = await followers(orderId)
    expect(own).toHaveLength(1)
    const tries = await world.attemptsOf(own[0]?.id as string)
    expect(tries.filter(({ state }) => state === 'collected')).toHaveLength(1)
    expect((await take(orderId, 1800)).state).toBe('paid')
    expect(await followers(orderId)).toHaveLength(1)
  })

  it('refused leads on by its no; answered again, or out of turn, it changes nothing', async () => {
    const orderId = await buyMain()
    await expect(take(orderId, 4800, { at: 'two' })).rejects.toMatchObject({ code: 'upsell-ended' })
    await no(orderId)
    expect(await show(orderId)).toMatchObject({ offered: { id: 'two', title: `Boxes ${n}` } })
    await no(orderId)
    await expect(take(orderId, 1800)).rejects.toMatchObject({ code: 'upsell-ended' })
    expect((await take(orderId, 4800, { at: 'two' })).state).toBe('paid')
    expect(await show(orderId)).toBeNull()
    expect(await followers(orderId)).toHaveLength(1)
    // Each answer stands in the order's history once.
    const answers = (await world.journalOf(orderId)).filter((what) => what.startsWith('upsell-'))
    expect(answers).toEqual(['upsell-refused', 'upsell-taken'])
  })

  it('declined leaves the first purchase as it is, and another card can be given', async () => {
    const orderId = await buyMain({}, 12_900, 'pays-once')
    const placed = await take(orderId, 1800)
    expect(placed).toMatchObject({ state: 'declined', reason: 'not-enough-money' })
    expect((await world.orderOf(orderId))?.state).toBe('paid')
    // Loaded anew it says so, and asks for something else.
    expect(await show(orderId)).toMatchObject({ declined: 'not-enough-money', savedMethod: null, pending: null })
    expect(await take(orderId, 1800, { payment: card() })).toMatchObject({ state: 'paid', orderId: placed.orderId })
    expect(await followers(orderId)).toHaveLength(1)
  })

  it('with a card that its bank asks about waits for the buyer, and is then paid', async () => {
    const orderId = await buyMain()
    const placed = await take(orderId, 1800, { payment: card('confirms') })
    if (placed.state !== 'confirming') throw new Error(placed.state)
    expect(await show(orderId)).toMatchObject({ pending: placed.orderId })
    const url = new URL(placed.url)
    world.standins.books.confirm(url.pathname.split('/').at(-1) ?? '', url.searchParams.get('s') ?? '', true)
    expect(await checkOrder(world.services, placed.orderId, who())).toMatchObject({ state: 'paid' })
    expect(await show(orderId)).toBeNull()
  })

  it('ends after half an hour, and when the thanks page is reached; asked for again later, nothing is charged', async () => {
    const late = await buyMain()
    world.clock.offsetMs += 29 * 60_000
    expect(await show(late)).not.toBeNull()
    world.clock.offsetMs += 61_000
    expect(await show(late)).toBeNull()
    await expect(take(late, 1800)).rejects.toMatchObject({ status: 410, code: 'upsell-ended' })
    n++
    const seen = await buyMain({ email: `seen${n}@post.example` })
    expect(await show(seen)).not.toBeNull()
    await thanksView(world.services, seen, who())
    await expect(take(seen, 1800)).rejects.toMatchObject({ code: 'upsell-ended' })
    expect(await followers(seen)).toEqual([])
  })

  it('pressed again after it was bought answers with what was bought, also once the upsells have ended', async () => {
    const orderId = await buyMain()
    const bought = await take(orderId, 1800)
    expect(bought.state).toBe('paid')
    await thanksView(world.services, orderId, who())
    expect(await take(orderId, 1800)).toEqual(bought)
    world.clock.offsetMs += 60 * 60_000
    expect(await take(orderId, 1800)).toEqual(bought)
    await expect(take(orderId, 1800, { as: who('another') })).rejects.toMatchObject({ status: 404 })
    expect(await followers(orderId)).toHaveLength(1)
  })

  it('is nobody else’s, at no other price, and for no other thing', async () => {
    const orderId = await buyMain()
    await expect(take(orderId, 1800, { as: who('another') })).rejects.toMatchObject({ status: 404 })
    await expect(take(orderId, 1)).rejects.toMatchObject({ code: 'price-changed' })
    await expect(take(orderId, 1800, { at: 'nothing' })).rejects.toMatchObject({ code: 'upsell-ended' })
    // As a page’s own offer it is not sold: it is an addition only.
    const request = world.request(offer, 1800, { email: `u${n}@post.example` })
    await expect(world.buy(paper.slug, request, browser())).rejects.toMatchObject({ code: 'not-on-sale' })
    // Of an order that is not paid there is none.
    const open = await world.buy(
      main.slug,
      world.request(main.offerId, 12_900, { email: `o${n}@post.example` }, 'not-enough-money'),
      'o',
    )
    await expect(take(open.orderId, 1800, { as: who('o') })).rejects.toMatchObject({ code: 'upsell-ended' })
    expect(await followers(orderId)).toEqual([])
  })

  it('is passed by without a word by who has it already, and where it is off sale', async () => {
    await world.buy(paper.slug, world.request(paper.offerId, 2400, { email: `u${n}@post.example` }), browser())
    const orderId = await buyMain()
    expect(await show(orderId)).toMatchObject({ offered: { id: 'two' } })
    await world.reprice(boxes.offerId, 5200)
    expect(await show(orderId)).toMatchObject({ offered: { id: 'two', price: '€52' } })
  })

  it('shown as it was when its buyer ordered, whatever its page offers since', async () => {
    const orderId = await buyMain()
    await shape([])
    expect(await show(orderId)).toMatchObject({ offered: { id: 'one' } })
  })

  it('with payments to come is collected from the same card later', async () => {
    const monthly = await world.sell(MONTHLY, `Club ${n}`, { access: WHILE_PAYING })
    await shape([step('club', monthly.offerId)])
    const orderId = await buyMain()
    const view = await show(orderId)
    const pay = view?.offered.quote.today.pay as number
    const placed = await take(orderId, pay, { at: 'club' })
    expect(placed.state).toBe('paid')
    const [agreement] = await world.db.select().from(agreements).where(eq(agreements.orderId, placed.orderId))
    const [first] = await world.attemptsOf(orderId)
    expect(agreement).toMatchObject({ state: 'active', savedMethod: first?.savedMethod })
    expect(agreement?.savedMethod).toBeTruthy()
    world.clock.offsetMs += 40 * 60_000
    await forgetMethods(world.services)
    expect((await world.attemptsOf(orderId))[0]?.savedMethod).toBe(first?.savedMethod)
  })
})

describe('the method that was saved for upsells', () => {
  const reference = async (orderId: string) => (await world.attemptsOf(orderId))[0]?.savedMethod

  it('is forgotten by us and at the gateway once they have ended', async () => {
    const orderId = await buyMain()
    const saved = await reference(orderId)
    expect(saved).toBeTruthy()
    await forgetMethods(world.services)
    expect(await reference(orderId)).toBe(saved)
    await thanksView(world.services, orderId, who())
    await forgetMethods(world.services)
    expect(await reference(orderId)).toBeNull()
    const gateway = world.services.gateways.get('thistle')
    const { id: account, keys } = world.standins.account
    const charge = gateway?.begin(
      { account, secret: keys.practice },
      {
        key: `k${n}`,
        amount: 1800,
        currency: 'EUR',
        source: { savedMethod: saved as string },
        reference: '',
        statement: '',
      },
    )
    await expect(charge).rejects.toMatchObject({ code: 'bad-token' })
  })

  it('is not saved where a page has none', async () => {
    await shape([])
    expect(await reference(await buyMain())).toBeNull()
  })
})

describe('a code of the order', () => {
  it('in percent goes on within its use, whatever its dates and limits; for upsells, and for what it is for', async () => {
    const code = await withCode({ rate: 1000, upsells: true, limit: 1, limitPerBuyer: 1, minimum: 5000 })
    const orderId = await buyMain({ codes: [code] }, 11_610)
    expect(await show(orderId)).toMatchObject({ offered: { price: '€16.20' }, before: '€18' })
    await expect(take(orderId, 1800)).rejects.toMatchObject({ code: 'price-changed' })
    const placed = await take(orderId, 1620)
    expect(placed.state).toBe('paid')
    expect((await world.db.select().from(codeUses)).filter((use) => use.orderId === placed.orderId)).toEqual([])
    const [line] = await world.db.select().from(orderLines).where(eq(orderLines.orderId, placed.orderId))
    expect(line?.quoted.payments[0]).toMatchObject({ list: 1800, discount: 180, pay: 1620 })
    // One use, which brought both; the list of its orders holds both.
    const [coupon] = await world.db.select().from(coupons).where(sql`${coupons.live}->>'code' = ${code}`)
    const { brought } = await openCoupon(world.services, coupon?.id as string, 'practice')
    expect(brought).toMatchObject({ orders: 1, buyers: 1, saves: 1290 + 180, received: 11_610 + 1620 })
    expect(brought.days).toMatchObject([{ orders: 1, saves: 1470, received: 13_230 }])
    const query = { search: '', state: 'all', coupon: coupon?.id as string } as const
    const { orders: found } = await listOrders(world.services, 'practice', query)
    expect(found.map(({ id }) => id)).toEqual([placed.orderId, orderId])
    const span = { from: '2020-01-01', until: '2039-12-31' }
    const moved = await listMovements(world.services, 'practice', { ...span, search: code.toLowerCase() })
    expect(moved.movements.map(({ received }) => received)).toEqual([11_610, 1620])
    expect((await sumSpan(world.services, 'practice', { ...span, search: code })).total.received).toBe(13_230)
    const byCode = await listPeople(world.services, 'practice', { search: '', coupon: coupon?.id as string })
    expect(byCode.people.map(({ email }) => email)).toEqual([`u${n}@post.example`])
    const has = await listPeople(world.services, 'practice', { search: '', course: paper.courseId })
    expect(has.people.map(({ email }) => email)).toEqual([`u${n}@post.example`])
    expect((await listPeople(world.services, 'practice', { search: '', course: boxes.courseId })).people).toEqual([])
    const { orders: upsold } = await listOrders(world.services, 'practice', { ...query, role: 'upsell' })
    expect(upsold.map(({ id }) => id)).toEqual([placed.orderId])
    const [, row] = ordersCsv(
      await ordersFor(world.services, 'practice', { ...query, role: 'upsell' }),
      'Europe/Vienna',
    ).split('\r\n')
    expect(row).toContain(
      `,Paper ${n},After,,upsell,${(await world.orderOf(orderId))?.number},${code},EUR,18.00,1.80,16.20,`,
    )
    const [, first] = ordersCsv(
      await ordersFor(world.services, 'practice', { search: '', state: 'all', course: main.courseId }),
      'Europe/Vienna',
    ).split('\r\n')
    expect(first).toContain(`Paper ${n}: offered, yes`)
    expect(await openOrder(world.services, 'practice', placed.orderId)).toMatchObject({ follows: { id: orderId } })
    expect((await openOrder(world.services, 'practice', orderId)).followedBy.map(({ id }) => id)).toEqual([
      placed.orderId,
    ])
  })

  it('of an amount, not for upsells, or for other things, does not', async () => {
    for (const content of [
      { kind: 'fixed', amount: 1000, upsells: true },
      { rate: 1000, upsells: false },
      { rate: 1000, upsells: true, appliesTo: { products: [main.courseId], offers: [] } },
    ] as Partial<CouponContent>[]) {
      n++
      const code = await withCode(content)
      const pay = content.kind === 'fixed' ? 11_900 : 11_610
      const orderId = await buyMain({ codes: [code] }, pay)
      expect(await show(orderId)).toMatchObject({ offered: { price: '€18' }, before: null })
    }
    n++
    const both = { products: [main.courseId, paper.courseId], offers: [] }
    const orderId = await buyMain({ codes: [await withCode({ rate: 1000, upsells: true, appliesTo: both })] }, 11_610)
    expect(await show(orderId)).toMatchObject({ offered: { price: '€16.20' } })
  })
})

describe('an order that was paid', () => {
  it('by transfer is followed by nothing, or by an order with the same way, as the page says', async () => {
    const { transfer } = await world.connectOthers()
    const payment = { connectionId: transfer, token: '' }
    const silent = await buyMain({ payment, email: `s${n}@post.example` })
    expect(await show(silent)).toBeNull()
    await shape([step('one', offer)], true)
    n++
    const orderId = await buyMain({ payment, email: `t${n}@post.example` })
    expect(await show(orderId)).toMatchObject({
      order: { isPaid: false },
      savedMethod: null,
      paymentMethods: [{ connectionId: transfer }],
    })
    const placed = await take(orderId, 1800, { payment })
    expect(placed.state).toBe('awaiting')
    expect(await show(orderId)).toBeNull()
    expect(await followers(orderId)).toMatchObject([{ state: 'paying' }])
  })

  it('by a wallet is followed by a charge of that wallet', async () => {
    const { moor } = await world.connectOthers()
    const placed = await world.buy(
      main.slug,
      world.request(main.offerId, 12_900, { email: `w${n}@post.example`, payment: { connectionId: moor, token: '' } }),
      browser(),
    )
    if (placed.state !== 'confirming') throw new Error(placed.state)
    await world.press(placed.url, 'pays')
    await world.call('POST', `/api/shop/orders/${placed.orderId}/check`, {}, { cookie: `acorn_browser=${browser()}` })
    expect(await show(placed.orderId)).toMatchObject({ savedMethod: 'wallet of Ada' })
    expect((await take(placed.orderId, 1800)).state).toBe('paid')
  })

  it('with nothing, since it was free, shows the fields', async () => {
    const free = await world.offer(main.courseId, null, { name: 'Free' })
    const request = { ...world.request(free, 0, { email: `f${n}@post.example` }), payment: null }
    const { orderId } = await world.buy(main.slug, request, browser())
    expect(await show(orderId)).toMatchObject({ order: { pay: 0 }, savedMethod: null })
    await expect(take(orderId, 1800)).rejects.toMatchObject({ status: 422 })
    expect((await take(orderId, 1800, { payment: card() })).state).toBe('paid')
  })

  it('is not counted as an earlier purchase by its upsell', async () => {
    const code = await withCode({ rate: 1000, upsells: true, firstPurchaseOnly: true })
    const orderId = await buyMain({ codes: [code] }, 11_610)
    expect((await take(orderId, 1620)).state).toBe('paid')
    const [person] = await world.db
      .select()
      .from(people)
      .where(eq(people.email, `u${n}@post.example`))
    expect(await world.db.$count(attempts, eq(attempts.state, 'started'))).toBe(0)
    expect(person?.name).toBe('Ada')
  })
})
