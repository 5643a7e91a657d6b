import { eq } from 'drizzle-orm'
import { beforeEach, describe, expect, it } from 'vitest'
import { type CouponContent, newCoupon } from '../../core/content/coupon.ts'
import { CODES } from '../../core/words/en/codes.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { shopper } from '../../testing/world.ts'
import { quoteOnPage } from '../checkout/pageQuote.ts'
import { placeOrder } from '../checkout/place.ts'
import type { Shopper } from '../checkout/placing.ts'
import { codeUses, rateLimits } from '../db/schema/index.ts'
import type { Problem } from '../http/problem.ts'
import { Limits } from '../platform/limits.ts'
import { schoolDay } from '../school/service.ts'
import { needsAttention } from '../support/attention.ts'
import { recordTransferReceived } from '../transfers/marks.ts'
import { releaseHeld, releaseWaiting } from './held.ts'
import { createCoupon, openCoupon, publishCoupon, saveCouponDraft } from './service.ts'

/** Codes that are guessed, run out in a rush, or are held by orders that nobody pays. */
const world = ownWorld()
const OFTEN = 4
let n = 0
let code = ''
let course: Awaited<ReturnType<typeof world.sell>>
beforeEach(async () => {
  n++
  code = `RIGHT-${n}`
  course = await world.sell(10_000, `Guessed ${n}`)
  await world.db.delete(rateLimits)
  world.services.limits = new Limits(world.db, { 'code:ip': OFTEN, 'code:range': 1000, 'order:ip': 1000 })
})

async function publish(content: Partial<CouponContent> = {}) {
  const { id } = await createCoupon(world.services)
  const { draftRev } = await saveCouponDraft(world.services, id, 1, { ...newCoupon(), code, ...content })
  await publishCoupon(world.services, id, draftRev, null)
  return id
}
/** One address in each test: what is held from it would count in the next. */
const place = () => ({ ip: `192.0.2.${n}`, range: '192.0.2' })
const from = (browser: string, address = place()): Shopper => ({ ...shopper(`${browser} ${n}`), address })
const lines = () => [{ offerId: course.offerId, chosen: null }]
const quoted = async (codes: string[], who = from('one browser')) =>
  (await quoteOnPage(world.services, course.slug, { lines: lines(), codes }, who)).codes.map(({ counts, says }) =>
    says.startsWith(CODES.tooManyTried) ? 'not said' : counts,
  )
const buy = (codes: string[], who: Shopper, pay = codes.length > 0 ? 9000 : 10_000, more: object = {}) =>
  placeOrder(
    world.services,
    course.slug,
    world.request(course.offerId, pay, {
      email: `${who.browserHash.slice(0, 8).toLowerCase()}@guess.example`,
      codes,
      ...more,
    }),
    who,
  )
const usesOf = async (couponId: string) =>
  (await world.db.select().from(codeUses).where(eq(codeUses.couponId, couponId))).map(({ state }) => state).sort()

describe('codes that are guessed', () => {
  beforeEach(() => publish({ limitPerBuyer: null }))

  it('by a page’s address are counted: the page goes on without one, and right and wrong read alike', async () => {
    const open = async (typed: string) => (await world.call('GET', `/buy/${course.slug}?code=${typed}`)).text()
    for (let guess = 0; guess < OFTEN; guess++) expect(await open(`WRONG-${guess}`)).toContain(CODES.unknown)
    for (let guess = 0; guess < 10; guess++) expect(await open(`WRONG-${guess}`)).toContain(CODES.tooManyTried)
    const right = await open(code)
    expect(right).toContain(CODES.tooManyTried)
    expect(right).not.toContain('€10.00 off')
  })

  it('in one quote count each', async () => {
    const many = Array.from({ length: OFTEN + 1 }, (_, guess) => `MANY-${guess}`)
    expect(await quoted([...many, code])).toEqual([...many, code].map(() => 'not said'))
    expect(await quoted(many.slice(0, OFTEN))).toEqual(many.slice(0, OFTEN).map(() => false))
    expect(await quoted([code], from('another browser'))).toEqual(['not said'])
    expect(await quoted([code], from('elsewhere', { ip: '192.0.3.1', range: '192.0.3' }))).toEqual([true])
  })

  it('are each counted once a browser: what is applied stays applied, however often it is asked about', async () => {
    expect(await quoted([code])).toEqual([true])
    for (let guess = 0; guess < OFTEN - 1; guess++) expect(await quoted([code, `AND-${guess}`])).toEqual([true, false])
    for (let time = 0; time < 5; time++) expect(await quoted([code, 'ONE-MORE'])).toEqual([true, 'not said'])
    // A browser without a cookie is another each time.
    for (let time = 0; time < 3; time++) expect(await quoted([code], from(`fresh ${time}`))).toEqual(['not said'])
  })

  it('over the limit leave the order what it costs without them', async () => {
    await quoted(Array.from({ length: OFTEN }, (_, guess) => `SPENT-${guess}`))
    await expect(buy([code], from('late'))).rejects.toMatchObject({ code: 'price-changed' })
    expect(await buy([code], from('late'), 10_000)).toMatchObject({ state: 'paid' })
  })

  it('are given back where an order is placed with them', async () => {
    for (let time = 0; time < 3 * OFTEN; time++) {
      expect(await quoted([code], from(`buys ${time}`))).toEqual([true])
      expect(await buy([code], from(`buys ${time}`))).toMatchObject({ state: 'paid' })
    }
  })
})

it('a code that runs out in a rush is said to be used up, to each who did not get it', async () => {
  world.services.limits = new Limits(world.db, 10_000)
  await publish({ limit: 5, limitPerBuyer: null })
  const tries = await Promise.all(
    Array.from({ length: 40 }, (_, buyer) =>
      buy([code], from(`rush ${buyer}`, { ip: `198.51.100.${buyer}`, range: '198.51.100' })).then(
        ({ state }) => state as string,
        (error: Problem) => `${error.code}: ${error.title}`,
      ),
    ),
  )
  const usedUp = `code-changed: The code “${code}” does not count any more: ${CODES.usedUp} Nothing was charged.`
  expect(tries.filter((state) => state === 'paid')).toHaveLength(5)
  expect(tries.filter((state) => state !== 'paid')).toEqual(Array(35).fill(usedUp))
})

describe('uses that are held', () => {
  let transfer = ''
  beforeEach(async () => {
    world.services.limits = new Limits(world.db, 10_000)
    transfer ||= (await world.connectOthers()).transfer
  })
  const hold = (who: Shopper, more: object = {}) =>
    buy([code], who, 9000, { payment: { connectionId: transfer, token: '' }, ...more })

  it('are at most three from one address, whatever browser and email', async () => {
    const id = await publish({ limit: 50, limitPerBuyer: null })
    for (const who of ['a', 'b', 'c']) expect(await hold(from(who))).toMatchObject({ state: 'awaiting' })
    await expect(hold(from('d'))).rejects.toMatchObject({ code: 'code-changed', title: CODES.tooManyHeld })
    expect(await hold(from('e', { ip: '203.0.113.9', range: '203.0.113' }))).toMatchObject({ state: 'awaiting' })
    expect(await usesOf(id)).toEqual(Array(4).fill('reserved'))
    // Whoever pays at once is not stopped by who does not.
    expect(await buy([], from('pays'))).toMatchObject({ state: 'paid' })
  })

  it('are at most three of one email', async () => {
    await publish({ limit: 50, limitPerBuyer: null })
    const by = (browser: number) => from(`by ${browser}`, { ip: `203.0.113.${browser}`, range: '203.0.113' })
    const email = 'held@guess.example'
    const others = await Promise.all([1, 2, 3].map((index) => world.sell(10_000, `Held ${n} ${index}`)))
    for (const [index, other] of others.entries()) {
      course = other
      expect(await hold(by(index), { email })).toMatchObject({ state: 'awaiting' })
    }
    course = await world.sell(10_000, `Held ${n} more`)
    await expect(hold(by(9), { email })).rejects.toMatchObject({ title: CODES.tooManyHeld })
  })

  it('are at most three at once, too', async () => {
    const id = await publish({ limit: 50, limitPerBuyer: null })
    const all = await Promise.allSettled(Array.from({ length: 12 }, (_, who) => hold(from(`at once ${who}`))))
    expect(all.filter(({ status }) => status === 'fulfilled')).toHaveLength(3)
    expect(await usesOf(id)).toEqual(Array(3).fill('reserved'))
  })

  it('by a transfer are free after a day; the order waits on at its price, and its payment books the use past the limit', async () => {
    const id = await publish({ limit: 1, limitPerBuyer: null })
    const { orderId } = await hold(from('slow'))
    await expect(buy([code], from('next'))).rejects.toMatchObject({ code: 'code-changed' })
    await releaseWaiting(world.services, 'practice')
    expect(await usesOf(id)).toEqual(['reserved'])
    world.clock.offsetMs += 86_400_000 + 1000
    expect(await releaseWaiting(world.services, 'practice')).toBeGreaterThan(0)
    expect([await releaseWaiting(world.services, 'practice'), await usesOf(id)]).toEqual([0, ['released']])
    expect(await world.orderOf(orderId)).toMatchObject({ state: 'paying', payToday: 9000 })
    expect(await world.journalOf(orderId)).toContain('code-released')
    expect(await buy([code], from('next'))).toMatchObject({ state: 'paid' })
    const day = await schoolDay(world.services)
    await recordTransferReceived(world.services, 'practice', orderId, { amount: 9000, day, note: '' })
    expect(await world.orderOf(orderId)).toMatchObject({ state: 'paid', payToday: 9000 })
    expect(await usesOf(id)).toEqual(['used', 'used'])
    const found = await needsAttention(world.services, 'practice')
    expect(found.filter((item) => item.orderId === orderId).map(({ kind }) => kind)).toContain('code-over-limit')
  })

  it('of a code without any limit are left to their orders', async () => {
    const id = await publish({ limit: null, limitPerBuyer: null })
    await hold(from('unlimited'))
    world.clock.offsetMs += 2 * 86_400_000
    await releaseWaiting(world.services, 'practice')
    expect(await usesOf(id)).toEqual(['reserved'])
  })

  it('are said on the bench, and let go from there', async () => {
    const id = await publish({ limit: 1, limitPerBuyer: null })
    const { orderId } = await hold(from('holds'))
    expect((await openCoupon(world.services, id, 'practice')).brought).toMatchObject({ waiting: 1 })
    expect(await releaseHeld(world.services, id, 'live')).toBe(0)
    const cookie = `acorn_studio=${world.creatorToken}; acorn_mode=practice`
    const answer = await world.call('POST', `/api/coupons/${id}/release-held`, undefined, { cookie })
    expect(await answer.json()).toEqual({ released: 1 })
    expect((await openCoupon(world.services, id, 'practice')).brought).toMatchObject({ waiting: 0 })
    expect(await buy([code], from('gets it'))).toMatchObject({ state: 'paid' })
    expect(await world.orderOf(orderId)).toMatchObject({ state: 'paying' })
  })
})
