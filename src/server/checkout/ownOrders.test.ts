import { eq } from 'drizzle-orm'
import { beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { ownWorld } from '../../testing/ownWorld.ts'
import { eventually, shopper } from '../../testing/world.ts'
import { checkAccess } from '../access/service.ts'
import { grants, messages, orderLines, people } from '../db/schema/index.ts'
import { findPerson } from '../people/service.ts'
import { refundLine } from '../refunds/service.ts'
import { openSession, personOf } from '../session/sessions.ts'
import { needsAttention } from '../support/attention.ts'
import { recordTransferReceived } from '../transfers/marks.ts'
import { placeOrder } from './place.ts'
import { checkOrder } from './status.ts'

const world = ownWorld()
let paymentMethods: { moor: string; brook: string; transfer: string }
let course: { courseId: string; offerId: string; slug: string }
let buyer = 0

beforeAll(async () => {
  paymentMethods = await world.connectOthers()
})
beforeEach(async () => {
  course = await world.sell(12_900, `Own ${++buyer}`)
})

const email = () => `own${buyer}@post.example`
const by = (connectionId: string) =>
  world.request(course.offerId, 12_900, { email: email(), payment: { connectionId, token: '' } })
const byCard = (behaviour = 'pays', more = {}) =>
  world.request(course.offerId, 12_900, { email: email(), ...more }, behaviour)
const stateOf = async (orderId: string) => (await world.attemptsOf(orderId)).map(({ state }) => state)
const transferCame = (orderId: string) =>
  recordTransferReceived(world.services, 'practice', orderId, {
    amount: 12_900,
    day: world.services.now().toISOString().slice(0, 10),
    note: '',
  })

describe('an order of which somebody else knows the address', () => {
  it('waiting for a transfer it is neither resumed nor ended; they begin their own', async () => {
    const own = await world.buy(course.slug, by(paymentMethods.transfer))
    expect(own.state).toBe('awaiting')
    const theirs = await world.buy(course.slug, by(paymentMethods.transfer), 'stranger')
    expect(theirs.orderId).not.toBe(own.orderId)
    const dead = await world.buy(course.slug, byCard('not-enough-money'), 'another stranger')
    expect(dead).toMatchObject({ state: 'declined' })
    expect(await stateOf(own.orderId)).toEqual(['awaiting'])
    expect((await world.orderOf(own.orderId))?.browserHash).toBe(shopper('browser').browserHash)
    await expect(checkOrder(world.services, own.orderId, shopper('stranger'))).rejects.toMatchObject({ status: 404 })
  })

  it('being confirmed it is not broken into', async () => {
    const own = await world.buy(course.slug, byCard('confirms'))
    expect((await world.buy(course.slug, byCard('not-enough-money'), 'stranger')).orderId).not.toBe(own.orderId)
    expect(await stateOf(own.orderId)).toEqual(['confirming'])
  })

  it('is gone on with by its own browser, and by its buyer when signed in elsewhere', async () => {
    const own = await world.buy(course.slug, byCard('not-enough-money'))
    expect((await world.buy(course.slug, byCard('not-enough-money'))).orderId).toBe(own.orderId)
    const person = await findPerson(world.db, 'practice', email())
    const signedIn = { ...shopper('phone'), person }
    const paid = await placeOrder(world.services, course.slug, byCard(), signedIn)
    expect(paid).toMatchObject({ state: 'paid', orderId: own.orderId })
    await expect(
      placeOrder(world.services, course.slug, byCard(), { ...shopper('third'), person }),
    ).rejects.toMatchObject({ code: 'already-yours' })
  })

  it('does not lose its name, nor does the account', async () => {
    await world.buy(course.slug, byCard('pays', { name: 'Ada Right' }))
    const other = await world.sell(500, `Other ${buyer}`)
    const typed = world.request(other.offerId, 500, { email: email(), name: 'Somebody Else' })
    const { orderId } = await world.buy(other.slug, typed, 'stranger')
    expect((await findPerson(world.db, 'practice', email()))?.name).toBe('Ada Right')
    expect((await world.orderOf(orderId))?.buyerName).toBe('Somebody Else')
  })
})

describe('a name put right after a declined card', () => {
  it('counts for the order, the search and the account', async () => {
    const first = await world.buy(course.slug, byCard('not-enough-money', { name: 'Aad Wrnog' }))
    const paid = await world.buy(course.slug, byCard('pays', { name: 'Ada Right' }))
    expect(paid).toMatchObject({ state: 'paid', orderId: first.orderId })
    expect(await world.orderOf(paid.orderId)).toMatchObject({ buyerName: 'Ada Right' })
    expect((await world.orderOf(paid.orderId))?.searchText).toContain('ada right')
    expect((await findPerson(world.db, 'practice', email()))?.name).toBe('Ada Right')
  })
})

describe('two unpaid orders of one buyer for one course', () => {
  it('the first that is paid opens it; money that then comes for the other opens nothing, is told, and is refunded', async () => {
    const waiting = await world.buy(course.slug, by(paymentMethods.transfer))
    const paid = await world.buy(course.slug, byCard(), 'phone')
    expect(paid.state).toBe('paid')
    await transferCame(waiting.orderId)
    expect(await world.orderOf(waiting.orderId)).toMatchObject({ state: 'paid' })
    expect(await world.duplicatesOf(waiting.orderId)).toEqual([paid.orderId])
    expect(await world.grantsOf(waiting.orderId)).toEqual([])
    expect(await world.journalOf(waiting.orderId)).toContain('order-paid-twice')
    const notified = await world.db.select().from(messages).where(eq(messages.orderId, waiting.orderId))
    expect(notified.map(({ kind }) => kind)).toEqual(['awaiting', 'creator-awaiting', 'paid-twice'])
    const twice = async () =>
      (await needsAttention(world.services, 'practice')).filter(
        ({ orderId, kind }) => orderId === waiting.orderId && kind === 'paid-twice',
      )
    expect(await twice()).toMatchObject([{ amount: 12_900 }])
    const [line] = await world.db.select().from(orderLines).where(eq(orderLines.orderId, waiting.orderId))
    const refund = { lineId: line?.id as string, amount: 12_900, access: 'keep' as const, note: 'paid twice' }
    await refundLine(world.services, 'practice', waiting.orderId, refund)
    expect(await twice()).toEqual([])
    expect(await world.grantsOf(paid.orderId)).toMatchObject([{ endedAt: null }])
  })

  it('also where the gateway’s money was on its way', async () => {
    const waiting = await world.buy(course.slug, by(paymentMethods.brook))
    if (waiting.state !== 'confirming') throw new Error(waiting.state)
    await world.press(waiting.url, 'arrives')
    await world.buy(course.slug, byCard(), 'phone')
    for (const payment of world.standins.transfers.payments.values()) world.standins.arrive(payment, 'at-once')
    await eventually(async () => (await world.orderOf(waiting.orderId))?.state === 'paid')
    const held = await world.db
      .select({ id: grants.id })
      .from(grants)
      .innerJoin(people, eq(people.id, grants.personId))
      .where(eq(people.email, email()))
    expect(held).toHaveLength(1)
  })
})

describe('the browser that bought', () => {
  it('has the course for an hour without signing in, not for good', async () => {
    const { orderId } = await world.buy(course.slug, byCard(), 'cookie of a browser')
    const state = async () => (await checkAccess(world.services, course.courseId, shopper('cookie of a browser'))).state
    const thanks = () =>
      world.call('GET', `/thanks/${orderId}`, undefined, { cookie: 'acorn_browser=cookie of a browser' })
    expect(await state()).toBe('open')
    expect((await thanks()).status).toBe(200)
    world.clock.offsetMs = 59 * 60_000
    expect(await state()).toBe('open')
    world.clock.offsetMs = 61 * 60_000
    expect(await state()).toBe('no-grant')
    expect((await thanks()).status).toBe(401)
    await expect(world.buy(course.slug, byCard(), 'cookie of a browser')).rejects.toMatchObject({
      code: 'not-with-this-email',
    })
    const person = await findPerson(world.db, 'practice', email())
    expect((await checkAccess(world.services, course.courseId, { ...shopper('else'), person })).state).toBe('open')
  })

  it('has it no more after signing out', async () => {
    await world.buy(course.slug, byCard(), 'shared')
    const person = await findPerson(world.db, 'practice', email())
    const token = await openSession(world.services, { personId: person?.id as string })
    const cookie = `acorn_browser=shared; acorn_shop=${token}`
    const foreign = await world.call('POST', '/sign-out', undefined, { cookie, origin: 'https://elsewhere.example' })
    expect(foreign.status).toBe(403)
    expect((await world.call('GET', '/my', undefined, { cookie })).status).toBe(200)
    const out = await world.call('POST', '/sign-out', undefined, { cookie })
    expect(out.headers.get('location')).toBe('/')
    const cleared = out.headers.getSetCookie().map((cookie) => cookie.split(';')[0])
    expect(cleared).toEqual(expect.arrayContaining(['acorn_browser=', 'acorn_shop=']))
    expect(await personOf(world.services, token)).toBeNull()
  })
})
