import { and, eq } from 'drizzle-orm'
import { beforeEach, describe, expect, it } from 'vitest'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { type CouponContent, newCoupon } from '../../core/content/coupon.ts'
import { advance } from '../../testing/overTime.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { MONTHLY, THREE_PARTS, WHILE_PAYING } from '../../testing/terms.ts'
import { shopper } from '../../testing/world.ts'
import { quoteOnPage } from '../checkout/pageQuote.ts'
import { placeOrder } from '../checkout/place.ts'
import { codes, codeUses, ledger, messages, orderLines, payments } from '../db/schema/index.ts'
import { settleAttempt } from '../fulfilment/settle.ts'
import { sendMessage } from '../messages/send.ts'
import { findPerson } from '../people/service.ts'
import { Limits } from '../platform/limits.ts'
import { refundLine } from '../refunds/service.ts'
import { schoolDay } from '../school/service.ts'
import { needsAttention } from '../support/attention.ts'
import { ordersCsv } from '../support/files.ts'
import { openOrder, ordersFor } from '../support/orders.ts'
import { recordTransferReceived, takeMarkBack } from '../transfers/marks.ts'
import { endOldTransfers, waitAgain } from '../transfers/waiting.ts'
import { giveCodesBack } from './givenBack.ts'
import {
  createCoupon,
  deleteCoupon,
  duplicateCoupon,
  endCoupon,
  listCoupons,
  openCoupon,
  publishCoupon,
  saveCouponDraft,
  setCouponRetired,
} from './service.ts'

const world = ownWorld()
let n = 0
let course: Awaited<ReturnType<typeof world.sell>>
let code = ''
beforeEach(async () => {
  n++
  code = `CODE-${n}`
  course = await world.sell(10_000, `Coded ${n}`)
})
const email = (who = 'a') => `${who}${n}@coupon.example`

async function publish(content: Partial<CouponContent> = {}) {
  const { id } = await createCoupon(world.services)
  const { draftRev } = await saveCouponDraft(world.services, id, 1, { ...newCoupon(), code, ...content })
  await publishCoupon(world.services, id, draftRev, null)
  return id
}
const ask = (pay: number, more: object = {}, card = 'pays') =>
  world.request(course.offerId, pay, { email: email(), codes: [code], ...more }, card)
const quoted = (codes: string[], who = shopper('browser'), offerId = course.offerId) =>
  quoteOnPage(world.services, course.slug, { lines: [{ offerId, chosen: null }], codes }, who)
const said = async (codes: string[] = [code], who = shopper('browser')) => (await quoted(codes, who)).codes
const usesOf = async (couponId: string) =>
  (await world.db.select().from(codeUses).where(eq(codeUses.couponId, couponId))).map(({ state }) => state)
const day = (offset: number) => new Date(Date.now() + offset * 86_400_000).toISOString()

it('the list says which have changes that are not published', async () => {
  const id = await publish()
  const isChanged = async (of: string) =>
    (await listCoupons(world.services, 'practice')).find((coupon) => coupon.id === of)?.isChanged
  expect(await isChanged(id)).toBe(false)
  const { draftRev, draft } = await openCoupon(world.services, id, 'practice')
  world.clock.offsetMs += 1000
  await saveCouponDraft(world.services, id, draftRev, { ...draft, note: 'For spring.' })
  expect(await isChanged(id)).toBe(true)
  const { id: fresh } = await createCoupon(world.services)
  expect(await isChanged(fresh)).toBe(false)
})

describe('a code', () => {
  it('takes its part off, in the order, its payments and its attempt, and is then used', async () => {
    const id = await publish()
    const { quote, codes: entered } = await quoted([` ${code.toLowerCase()} `])
    expect([quote.today.pay, entered]).toEqual([9000, [{ code, counts: true, saves: 1000, says: '€10.00 off' }]])
    const { orderId } = await world.buy(course.slug, ask(9000))
    expect(await usesOf(id)).toEqual(['used'])
    const rows = await world.db.select().from(payments).where(eq(payments.orderId, orderId))
    expect(rows).toMatchObject([{ price: 10_000, discount: 1000, pay: 9000 }])
    expect(await world.attemptsOf(orderId)).toMatchObject([{ amount: 9000, state: 'collected' }])
    expect((await world.orderOf(orderId))?.searchText).toContain(code.toLowerCase())
    const [row] = await ordersFor(world.services, 'practice', { search: code, state: 'all' })
    expect(row?.codes).toBe(code)
    expect(ordersCsv([row as NonNullable<typeof row>], 'Europe/Vienna')).toContain(
      `,item,,${code},EUR,100.00,10.00,90.00,90.00,`,
    )
    expect((await openCoupon(world.services, id, 'practice')).brought).toEqual({
      orders: 1,
      buyers: 1,
      saves: 1000,
      received: 9000,
      waiting: 0,
      days: [{ day: await schoolDay(world.services), orders: 1, saves: 1000, received: 9000 }],
    })
    const [line] = await world.db.select().from(orderLines).where(eq(orderLines.orderId, orderId))
    const refund = { lineId: line?.id as string, amount: 2500, access: 'keep' as const, note: 'late' }
    await refundLine(world.services, 'practice', orderId, refund)
    expect((await openCoupon(world.services, id, 'practice')).brought).toMatchObject({ received: 6500, saves: 1000 })
  })

  it('is not charged by another price than the server says: without it, or by one that was agreed to without it', async () => {
    await publish()
    await expect(world.buy(course.slug, ask(10_000))).rejects.toMatchObject({ code: 'price-changed' })
    await expect(world.buy(course.slug, ask(9000, { codes: [] }))).rejects.toMatchObject({ code: 'price-changed' })
  })

  it('that takes everything off needs no card, and opens at once; with payments to come it needs one', async () => {
    const id = await publish({ rate: 10_000 })
    const free = await world.buy(course.slug, ask(0, { payment: null }))
    expect(free.state).toBe('paid')
    expect(await world.grantsOf(free.orderId)).toHaveLength(1)
    expect(await usesOf(id)).toEqual(['used'])
    const plan = await world.offer(course.courseId, THREE_PARTS)
    const request = { ...ask(0, { email: email('b'), payment: null }), lines: [{ offerId: plan, chosen: null }] }
    await expect(world.buy(course.slug, request)).rejects.toMatchObject({ errors: [{ at: '/payment' }] })
    const byCard = { ...request, payment: ask(1).payment }
    const { orderId } = await world.buy(course.slug, byCard, 'phone')
    const rows = await world.db.select().from(payments).where(eq(payments.orderId, orderId)).orderBy(payments.n)
    expect(rows.map(({ pay }) => pay)).toEqual([0, 4300, 4300])
  })

  it('of every payment of a subscription goes on beyond what was listed', async () => {
    const club = await world.sell(MONTHLY, `Club ${n}`, { access: WHILE_PAYING })
    await publish({ rate: 5000, payments: null })
    const request = { ...ask(950), lines: [{ offerId: club.offerId, chosen: null }] }
    const { orderId } = await world.buy(club.slug, request)
    const rows = await world.db.select().from(payments).where(eq(payments.orderId, orderId))
    expect(new Set(rows.map(({ pay }) => pay))).toEqual(new Set([950]))
  })

  it('of the first payments of a subscription: the receipt says what each costs after them, and from when', async () => {
    const club = await world.sell(MONTHLY, `Club ${n}`, { access: WHILE_PAYING })
    await publish({ rate: 5000, payments: 2 })
    const request = { ...ask(950), lines: [{ offerId: club.offerId, chosen: null }] }
    const { orderId } = await world.buy(club.slug, request)
    const due = (await world.db.select().from(payments).where(eq(payments.orderId, orderId)).orderBy(payments.n)).map(
      (row) => formatDay(row.due, 'en'),
    )
    const sent: string[] = []
    const [receipt] = await world.db.select().from(messages).where(eq(messages.orderId, orderId))
    await sendMessage(world.services, receipt?.id as string, async ({ text }) => void sent.push(text))
    expect(sent[0]).toContain(
      `The next payment is €9.50 on ${due[1]}; then €19.00 each time from ${due[2]}, until you cancel.`,
    )
    expect(sent[0]).toContain(`Code ${code}: -€9.50`)
  })
})

describe('an order of two lines with a code', () => {
  const together = async (pay: number, card = 'pays', more = {}) => {
    const club = await world.sell(MONTHLY, `Club ${n}`, { access: WHILE_PAYING, taxRate: 1000 })
    const lines = [course, club].map(({ offerId }) => ({ offerId, chosen: null }))
    return { club, request: { ...ask(pay, more, card), lines } }
  }

  it('has it split over what it is for, each line with its own tax, and later payments as they were', async () => {
    await publish({ kind: 'fixed', rate: null, amount: 1190 })
    const { request } = await together(10_000 + 1900 - 1190)
    const { orderId } = await world.buyTogether(request)
    const rows = await world.db.select().from(payments).where(eq(payments.orderId, orderId)).orderBy(payments.due)
    const first = rows.filter(({ discount }) => discount > 0).map(({ price, discount, pay }) => [price, discount, pay])
    expect(first.sort(([a = 0], [b = 0]) => b - a)).toEqual([
      [10_000, 1000, 9000],
      [1900, 190, 1710],
    ])
    expect(new Set(rows.filter(({ discount }) => discount === 0).map(({ pay }) => pay))).toEqual(new Set([1900]))
    expect((await world.attemptsOf(orderId)).map(({ amount }) => amount)).toEqual([10_710])
    const booked = await world.db.select().from(ledger).where(eq(ledger.orderId, orderId))
    const vat = booked.filter(({ account }) => account === 'liabilities:vat').map(({ amount }) => -amount)
    expect(vat.sort((a, b) => b - a)).toEqual([1500, 155])
  })

  it('of one of them leaves the other whole, and gives back no more of it than was paid', async () => {
    await publish({ rate: 5000, appliesTo: { products: [course.courseId], offers: [] } })
    const { request } = await together(5000 + 1900)
    const { orderId } = await world.buyTogether(request)
    const [line] = await world.db
      .select()
      .from(orderLines)
      .where(and(eq(orderLines.orderId, orderId), eq(orderLines.productId, course.courseId)))
    const refund = { lineId: line?.id as string, access: 'close' as const, note: 'why' }
    const back = (amount: number) => refundLine(world.services, 'practice', orderId, { ...refund, amount })
    await expect(back(5001)).rejects.toMatchObject({ errors: [{ at: '/amount' }] })
    expect(await back(5000)).toMatchObject({ refunded: 5000 })
  })

  it('tried again after a decline takes the code that is entered now, and only that one', async () => {
    const id = await publish()
    const first = code
    code = `${first}-B`
    const other = await publish({ rate: 2000 })
    const declined = await together(10_710, 'not-enough-money', { codes: [first] })
    const { orderId } = await world.buyTogether(declined.request)
    expect([await usesOf(id), await usesOf(other)]).toEqual([['released'], []])
    const again = { ...declined.request, codes: [code], agreed: { pay: 9520, currency: 'EUR' } }
    const paid = await world.buyTogether({ ...again, payment: ask(1).payment })
    expect(paid).toMatchObject({ state: 'paid', orderId })
    expect([await usesOf(id), await usesOf(other)]).toEqual([[], ['used']])
  })

  it('tried again when the code has gone to somebody else meanwhile, is told before anything is charged', async () => {
    await publish({ limit: 1, limitPerBuyer: null })
    const { request } = await together(10_710, 'not-enough-money')
    const { orderId } = await world.buyTogether(request)
    await world.buy(course.slug, ask(9000, { email: email('quick') }), 'quick')
    const again = world.buyTogether({ ...request, payment: ask(1).payment })
    await expect(again).rejects.toMatchObject({ status: 409 })
    expect((await world.attemptsOf(orderId)).map(({ state }) => state)).toEqual(['declined'])
  })
})

describe('what is said of a code that does not count', () => {
  it.each([
    ['begins later', { from: day(3) }, /^It begins on \d/],
    ['needs a greater order', { minimum: 10_001 }, 'It is for orders of at least €100.01; this one is €100.00.'],
    ['is for a first purchase, to who is signed in', { firstPurchaseOnly: true }, 'It is for a first purchase.'],
  ] as const)('that %s', async (what, content, says) => {
    await publish(content)
    const who = shopper('browser')
    if (what.includes('first purchase')) {
      const other = await world.sell(500, `Before ${n}`)
      await world.buy(other.slug, world.request(other.offerId, 500, { email: email() }))
      who.person = await findPerson(world.db, 'practice', email())
    }
    const [answer] = await said([code], who)
    expect(answer?.counts).toBe(false)
    expect(answer?.says).toMatch(says)
  })

  it('that ended by its day, or by hand, says since when, and never that there is none', async () => {
    const id = await publish({ until: day(2) })
    expect((await said())[0]).toMatchObject({ counts: true, says: expect.stringMatching(/^€10\.00 off, until /) })
    world.clock.offsetMs = 3 * 86_400_000
    expect((await said())[0]?.says).toMatch(/^It ended on \d/)
    world.clock.offsetMs = 0
    await endCoupon(world.services, id)
    expect((await said())[0]?.says).toMatch(/^It ended on \d/)
    await expect(world.buy(course.slug, ask(9000))).rejects.toMatchObject({ code: 'price-changed' })
  })

  it('that is for something else, is entered twice, does not combine, or does not exist', async () => {
    const other = await world.sell(500, `Something else ${n}`)
    await publish({ appliesTo: { products: [other.courseId], offers: [] } })
    expect((await said())[0]?.says).toBe(`It is for “Something else ${n}”.`)
    const first = code
    code = `${first}-B`
    await publish()
    expect((await said([code, code, 'NO-SUCH'])).map(({ says }) => says)).toEqual([
      '€10.00 off',
      'It is entered already.',
      'There is no code like this. Check how it is written.',
    ])
    const third = `${first}-C`
    code = third
    await publish({ combines: true })
    expect((await said([`${first}-B`, third]))[1]?.says).toBe(`It cannot be combined with ${first}-B.`)
  })

  it('that stands beside others which may, both count, one after the other', async () => {
    await publish({ combines: true })
    const first = code
    code = `${first}-B`
    await publish({ combines: true, kind: 'fixed', rate: null, amount: 500 })
    const { quote } = await quoted([first, code])
    expect(quote.today.pay).toBe(8500)
    expect((await world.buy(course.slug, ask(8500, { codes: [first, code] }))).state).toBe('paid')
  })

  it('that is guessed too often is answered later, and a right one too', async () => {
    await publish()
    const limited = { ...world.services, limits: new Limits(world.db) }
    const guess = (word: string) =>
      quoteOnPage(
        limited,
        course.slug,
        { lines: [{ offerId: course.offerId, chosen: null }], codes: [word] },
        shopper('guesses'),
      )
    const answers: (string | undefined)[] = []
    for (let tries = 0; tries < 20; tries++) answers.push((await guess(`NO-${tries}`)).codes[0]?.says)
    answers.push((await guess(code)).codes[0]?.says)
    expect(answers.filter((says) => says?.startsWith('Too many codes were tried here. Try again in '))).toHaveLength(6)
  })
})

describe('uses', () => {
  it('are reserved while an order waits, released when it is declined, and used when it is paid', async () => {
    const { transfer } = await world.connectOthers()
    const id = await publish({ limit: 1, limitPerBuyer: null })
    const declined = await world.buy(course.slug, ask(9000, {}, 'not-enough-money'))
    expect([declined.state, await usesOf(id)]).toEqual(['declined', ['released']])
    const byTransfer = ask(9000, { email: email('b'), payment: { connectionId: transfer, token: '' } })
    const waiting = await world.buy(course.slug, byTransfer, 'phone')
    expect(waiting.state).toBe('awaiting')
    expect((await said())[0]?.says).toBe('It has been used as often as it can be.')
    await expect(world.buy(course.slug, ask(9000))).rejects.toMatchObject({
      code: 'code-changed',
      title: expect.stringContaining('It has been used as often as it can be.'),
    })
    await recordTransferReceived(world.services, 'practice', waiting.orderId, {
      amount: 9000,
      day: await schoolDay(world.services),
      note: '',
    })
    expect((await usesOf(id)).sort()).toEqual(['released', 'used'])
    const { transfers } = await openOrder(world.services, 'practice', waiting.orderId)
    await takeMarkBack(world.services, 'practice', waiting.orderId, transfers[0]?.id as string, 'not ours')
    expect((await usesOf(id)).sort()).toEqual(['released', 'reserved'])
  })

  it('of one that is left, 50 buyers at once: one order carries it, and nobody else is charged', async () => {
    const id = await publish({ limit: 3, limitPerBuyer: null })
    for (const who of ['x', 'y']) await world.buy(course.slug, ask(9000, { email: email(who) }), who)
    const all = await Promise.allSettled(
      Array.from({ length: 50 }, (_, one) =>
        world.buy(course.slug, ask(9000, { email: email(`many${one}-`) }), `b${one}`),
      ),
    )
    expect(all.filter(({ status }) => status === 'fulfilled')).toHaveLength(1)
    for (const one of all) {
      if (one.status === 'rejected') expect(one.reason).toMatchObject({ status: 409 })
    }
    expect(await usesOf(id)).toEqual(['used', 'used', 'used'])
  })

  it('of one buyer are counted for who is signed in openly; an unverified email learns nothing', async () => {
    await publish()
    await world.buy(course.slug, ask(9000))
    const other = await world.sell(10_000, `Other ${n}`)
    const request = { ...ask(9000), lines: [{ offerId: other.offerId, chosen: null }] }
    const typed = placeOrder(world.services, other.slug, request, shopper('stranger'))
    await expect(typed).rejects.toMatchObject({ code: 'not-with-this-email' })
    const person = await findPerson(world.db, 'practice', email())
    const sent = await world.db
      .select()
      .from(messages)
      .where(eq(messages.personId, person?.id as string))
    expect(sent.map(({ kind }) => kind)).toContain('code-refused')
    const signedIn = { ...shopper('phone'), person }
    expect((await quoted([code], signedIn)).codes[0]?.says).toBe('You have used it already.')
  })

  it('in practice spend none of live', async () => {
    await publish({ limit: 1, limitPerBuyer: null })
    await world.buy(course.slug, ask(9000))
    expect((await said())[0]?.counts).toBe(false)
    expect((await said([code], shopper('browser', 'live')))[0]?.counts).toBe(true)
  })

  it('are reserved three at a time by a browser at most', async () => {
    const { transfer } = await world.connectOthers()
    const id = await publish({ limit: null, limitPerBuyer: null })
    const wait = async (index: number) => {
      const other = await world.sell(10_000, `Held ${n} ${index}`)
      const payment = { connectionId: transfer, token: '' }
      return world.buy(
        other.slug,
        { ...ask(9000, { payment }), lines: [{ offerId: other.offerId, chosen: null }] },
        'greedy',
      )
    }
    for (const index of [1, 2, 3]) await wait(index)
    await expect(wait(4)).rejects.toMatchObject({
      code: 'code-changed',
      title: expect.stringContaining('Too many codes are held'),
    })
    expect((await openCoupon(world.services, id, 'live')).brought.waiting).toBe(0)
    expect((await openCoupon(world.services, id, 'practice')).brought.waiting).toBe(3)
  })

  it('are booked also past the limit where money comes for a try that was given up', async () => {
    const id = await publish({ limit: 1, limitPerBuyer: null })
    const { orderId } = await world.buy(course.slug, ask(9000, {}, 'confirms'))
    const [attempt] = await world.attemptsOf(orderId)
    await settleAttempt(world.services, attempt?.id as string, { state: 'abandoned' }, 'lookup')
    expect((await world.buy(course.slug, ask(9000, { email: email('b') }), 'phone')).state).toBe('paid')
    await settleAttempt(
      world.services,
      attempt?.id as string,
      {
        state: 'collected',
        reference: `late-${n}`,
        amount: 9000,
        currency: 'EUR',
        fee: 1,
        method: 'card ending 4821',
        savedMethod: null,
        expires: null,
      },
      'event',
    )
    expect(await usesOf(id)).toEqual(['used', 'used'])
  })
})

describe('a coupon', () => {
  it('is not published before its fields are right, and says so at each', async () => {
    const { id } = await createCoupon(world.services)
    const { draftRev } = await saveCouponDraft(world.services, id, 1, {
      ...newCoupon(),
      code: 'mit ä',
      kind: 'fixed',
      appliesTo: { products: [], offers: [] },
      until: day(-1),
    })
    await expect(publishCoupon(world.services, id, draftRev, null)).rejects.toMatchObject({
      errors: [{ at: '/code' }, { at: '/amount' }, { at: '/appliesTo' }, { at: '/until' }],
    })
  })

  it('keeps its word to itself until it is retired; orders stay as they were', async () => {
    const id = await publish()
    const { orderId } = await world.buy(course.slug, ask(9000))
    await expect(publish({ rate: 2000 })).rejects.toMatchObject({ errors: [{ at: '/code' }] })
    await setCouponRetired(world.services, id, true)
    expect((await said())[0]?.says).toBe('There is no code like this. Check how it is written.')
    await publish({ rate: 2000 })
    expect((await said())[0]?.saves).toBe(2000)
    expect((await world.orderOf(orderId))?.quote.codes).toMatchObject([{ code, saves: 1000 }])
    await setCouponRetired(world.services, id, false)
    const { draftRev } = await openCoupon(world.services, id, 'practice')
    await expect(publishCoupon(world.services, id, draftRev, null)).rejects.toMatchObject({ errors: [{ at: '/code' }] })
    await expect(deleteCoupon(world.services, id)).rejects.toMatchObject({ code: 'was-used' })
  })

  it('changes its word by publishing, and the old one is free; a copy has none', async () => {
    const id = await publish()
    const { draft, draftRev } = await openCoupon(world.services, id, 'practice')
    const next = await saveCouponDraft(world.services, id, draftRev, { ...draft, code: `${code}-NEW` })
    expect((await said())[0]?.counts).toBe(true)
    await publishCoupon(world.services, id, next.draftRev, null)
    expect((await said())[0]?.counts).toBe(false)
    expect((await said([`${code}-new`]))[0]?.counts).toBe(true)
    expect(await world.db.select().from(codes).where(eq(codes.couponId, id))).toHaveLength(2)
    const copy = await duplicateCoupon(world.services, id)
    expect((await openCoupon(world.services, copy.id, 'practice')).draft).toMatchObject({ code: '', rate: 1000 })
    await deleteCoupon(world.services, copy.id)
  })
})

it('what a code took off is of payments that were received, and by the day of its orders', async () => {
  const parts = await world.sell(THREE_PARTS, `In parts ${n}`)
  const id = await publish({ payments: null, limitPerBuyer: null })
  const placed = await schoolDay(world.services)
  const request = { ...world.request(parts.offerId, 3870, { email: email(), codes: [code] }) }
  await world.buy(parts.slug, request, 'parts')
  await advance(world, 1)
  await world.buy(course.slug, ask(9000, { email: email('late') }), 'late')
  const { brought } = await openCoupon(world.services, id, 'practice')
  expect(brought).toMatchObject({ orders: 2, saves: 430 + 1000, received: 3870 + 9000 })
  expect(brought.days).toEqual([
    { day: await schoolDay(world.services), orders: 1, saves: 1000, received: 9000 },
    { day: placed, orders: 1, saves: 430, received: 3870 },
  ])
  await advance(world, 31)
  expect((await openCoupon(world.services, id, 'practice')).brought.days[1]).toMatchObject({
    saves: 860,
    received: 7740,
  })
})

describe('a code of an order by bank transfer', () => {
  const transferOrder = async (id: string) => {
    const { transfer } = await world.connectOthers()
    const payment = { connectionId: transfer, token: '' }
    const { orderId } = await world.buy(course.slug, ask(9000, { payment }), 'slow')
    expect(await usesOf(id)).toEqual(['reserved'])
    return orderId
  }

  it('is free again after the days that the order waits, and the buyer is told; one of which a part came waits on', async () => {
    const id = await publish({ limit: 1, limitPerBuyer: null })
    const orderId = await transferOrder(id)
    world.clock.offsetMs += 14 * 86_400_000
    await endOldTransfers(world.services, 'practice')
    expect(await usesOf(id)).toEqual(['reserved'])
    world.clock.offsetMs += 86_400_000
    await endOldTransfers(world.services, 'practice')
    await endOldTransfers(world.services, 'practice')
    expect(await usesOf(id)).toEqual(['released'])
    expect(await world.orderOf(orderId)).toMatchObject({ state: 'open' })
    const events = await world.journalOf(orderId)
    expect(events.filter((what) => what === 'transfer-ended')).toHaveLength(1)
    const notified = await world.db.select().from(messages).where(eq(messages.orderId, orderId))
    expect(notified.filter(({ kind }) => kind === 'not-arrived')).toHaveLength(1)
    const other = await world.sell(5000, `Part ${orderId}`)
    const { transfer } = await world.connectOthers()
    const request = {
      ...world.request(other.offerId, 5000, { email: email('part') }),
      payment: { connectionId: transfer, token: '' },
    }
    const { orderId: part } = await world.buy(other.slug, request, 'part')
    const day = await schoolDay(world.services)
    await recordTransferReceived(world.services, 'practice', part, { amount: 1000, day, note: '' })
    world.clock.offsetMs += 20 * 86_400_000
    await endOldTransfers(world.services, 'practice')
    expect(await world.orderOf(part)).toMatchObject({ state: 'paying' })
  })

  it('whose money came after all is paid at its price; used too often, that stands under attention', async () => {
    const id = await publish({ limit: 1, limitPerBuyer: null })
    const orderId = await transferOrder(id)
    world.clock.offsetMs += 15 * 86_400_000
    await endOldTransfers(world.services, 'practice')
    await world.buy(course.slug, ask(9000, { email: email('next') }), 'next')
    await waitAgain(world.services, 'practice', orderId)
    const day = await schoolDay(world.services)
    await recordTransferReceived(world.services, 'practice', orderId, { amount: 9000, day, note: '' })
    expect(await world.orderOf(orderId)).toMatchObject({ state: 'paid', payToday: 9000 })
    expect((await usesOf(id)).sort()).toEqual(['used', 'used'])
    const found = await needsAttention(world.services, 'practice')
    expect(found.filter((item) => item.orderId === orderId)).toMatchObject([{ kind: 'code-over-limit', why: code }])
    await expect(waitAgain(world.services, 'practice', orderId)).rejects.toMatchObject({ code: 'not-ended' })
  })

  it('that was refunded can be given back by the creator, and not by the refund', async () => {
    const id = await publish({ limit: 1, limitPerBuyer: null })
    const { orderId } = await world.buy(course.slug, ask(9000), 'back')
    await expect(giveCodesBack(world.services, 'practice', orderId)).rejects.toMatchObject({ code: 'not-refunded' })
    const [line] = await world.db.select().from(orderLines).where(eq(orderLines.orderId, orderId))
    const refund = { lineId: line?.id as string, amount: 9000, access: 'close' as const, note: 'x' }
    await refundLine(world.services, 'practice', orderId, refund)
    expect(await usesOf(id)).toEqual(['used'])
    expect(await giveCodesBack(world.services, 'practice', orderId)).toEqual({ codes: [code] })
    expect(await usesOf(id)).toEqual(['released'])
    await expect(giveCodesBack(world.services, 'practice', orderId)).rejects.toMatchObject({ code: 'no-code' })
    await world.buy(course.slug, ask(9000, { email: email('third') }), 'third')
  })
})
