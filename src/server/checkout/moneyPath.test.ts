import { randomUUID } from 'node:crypto'
import { and, eq, sql } from 'drizzle-orm'
import { beforeEach, describe, expect, it } from 'vitest'
import { ownWorld } from '../../testing/ownWorld.ts'
import { eventually, shopper } from '../../testing/world.ts'
import { attempts, connections, grants, messages, orders, payments, people } from '../db/schema/index.ts'
import { Problem } from '../http/problem.ts'
import { lookUpUntilSettled } from '../lookup/lookup.ts'
import { hashToken } from '../platform/secrets.ts'
import { refundLine } from '../refunds/service.ts'
import { settleRefund } from '../refunds/settle.ts'
import { basketOf } from './orderRows.ts'
import { checkOrder, leaveOrder } from './status.ts'

const world = ownWorld()
let course: { courseId: string; offerId: string; slug: string }
let buyer = 0

beforeEach(async () => {
  course = await world.sell(12_900, `Course ${++buyer}`)
})

const email = () => `buyer${buyer}@post.example`
const ask = (behaviour = 'pays', pay = 12_900) => world.request(course.offerId, pay, { email: email() }, behaviour)
const problem = async (call: Promise<unknown>) => {
  const error = await call.then(
    () => null,
    (thrown: unknown) => thrown,
  )
  if (!(error instanceof Problem)) throw new Error(`no problem: ${String(error)}`)
  return error.code
}
const collectedAtGateway = () =>
  [...world.standins.books.payments.values()].filter(
    ({ reference, state }) => state === 'captured' && reference.endsWith(`Course ${buyer}`),
  )

describe('a paid order', () => {
  it('is stored whole: quote, line, payment, attempt with fee, grant, message, journal', async () => {
    const placed = await world.buy(course.slug, ask())
    expect(placed.state).toBe('paid')
    const { orderId } = placed
    expect(await world.orderOf(orderId)).toMatchObject({
      state: 'paid',
      payToday: 12_900,
      currency: 'EUR',
      mode: 'practice',
    })
    expect(await world.attemptsOf(orderId)).toMatchObject([
      { state: 'collected', amount: 12_900, fee: 238, method: 'card ending 4821', savedMethod: null },
    ])
    expect(await world.db.select().from(payments).where(eq(payments.orderId, orderId))).toMatchObject([
      { state: 'collected', pay: 12_900, tax: 2150 },
    ])
    expect(await world.grantsOf(orderId)).toMatchObject([{ courseId: course.courseId, closes: null, endedAt: null }])
    expect(await world.db.select().from(messages).where(eq(messages.orderId, orderId))).toMatchObject([
      { kind: 'receipt', state: 'waiting' },
      { kind: 'creator-sold', state: 'waiting' },
    ])
    expect(await world.journalOf(orderId)).toEqual([
      'order-placed',
      'attempt-started',
      'attempt-collected',
      'order-paid',
      'course-opened',
      'message-queued',
      'message-queued',
    ])
  })

  it('keeps the quote that it was charged by when the price changes later', async () => {
    const { orderId } = await world.buy(course.slug, ask())
    await world.reprice(course.offerId, 9900)
    expect((await world.orderOf(orderId))?.quote.today.pay).toBe(12_900)
  })

  it('of a free offer needs no gateway', async () => {
    const free = await world.sell(null, `Free ${buyer}`)
    const placed = await world.buy(free.slug, world.request(free.offerId, 0, { email: email() }))
    expect(placed.state).toBe('paid')
    expect(await world.attemptsOf(placed.orderId)).toEqual([])
    expect(await world.grantsOf(placed.orderId)).toHaveLength(1)
  })
})

describe('declines and confirmations', () => {
  it('a declined card opens nothing; another card pays the same order', async () => {
    const first = await world.buy(course.slug, ask('not-enough-money'))
    expect(first).toMatchObject({ state: 'declined', reason: 'not-enough-money' })
    expect(await world.grantsOf(first.orderId)).toEqual([])
    const second = await world.buy(course.slug, ask())
    expect(second).toEqual({ state: 'paid', orderId: first.orderId })
    expect((await world.attemptsOf(first.orderId)).map(({ state }) => state)).toEqual(['declined', 'collected'])
  })

  it('approved, it is paid; refused, it can be tried again', async () => {
    const placed = await world.buy(course.slug, ask('confirms'))
    if (placed.state !== 'confirming') throw new Error(placed.state)
    const url = new URL(placed.url)
    const id = url.pathname.split('/').at(-1) ?? ''
    world.standins.books.confirm(id, url.searchParams.get('s') ?? '', false)
    expect(await checkOrder(world.services, placed.orderId, shopper('browser'))).toMatchObject({
      state: 'declined',
      reason: 'refused-by-buyer',
    })
    expect((await world.buy(course.slug, ask())).state).toBe('paid')
  })

  it('walking away and paying with another card closes the first attempt before the second begins', async () => {
    const placed = await world.buy(course.slug, ask('confirms'))
    if (placed.state !== 'confirming') throw new Error(placed.state)
    expect((await world.buy(course.slug, ask())).state).toBe('paid')
    const url = new URL(placed.url)
    const late = world.standins.books.confirm(
      url.pathname.split('/').at(-1) ?? '',
      url.searchParams.get('s') ?? '',
      true,
    )
    expect(late.payment.state).toBe('abandoned')
    expect(collectedAtGateway()).toHaveLength(1)
  })

  it('left, it is closed here and at the gateway, pressed twice too: approving it afterwards takes nothing', async () => {
    const placed = await world.buy(course.slug, ask('confirms'))
    if (placed.state !== 'confirming') throw new Error(placed.state)
    expect(placed.asked).toEqual({ pay: 12_900, offers: [course.offerId] })
    const leave = () => leaveOrder(world.services, placed.orderId, shopper('browser'))
    await expect(leaveOrder(world.services, placed.orderId, shopper('another'))).rejects.toMatchObject({ status: 404 })
    expect(await Promise.all([leave(), leave()])).toMatchObject([{ reason: 'abandoned' }, { reason: 'abandoned' }])
    const url = new URL(placed.url)
    world.standins.books.confirm(url.pathname.split('/').at(-1) ?? '', url.searchParams.get('s') ?? '', true)
    expect(collectedAtGateway()).toEqual([])
    expect(await checkOrder(world.services, placed.orderId, shopper('browser'))).toMatchObject({ state: 'declined' })
  })

  it('approved in the moment in which it was left, it is paid', async () => {
    const placed = await world.buy(course.slug, ask('confirms'))
    if (placed.state !== 'confirming') throw new Error(placed.state)
    const url = new URL(placed.url)
    world.standins.books.confirm(url.pathname.split('/').at(-1) ?? '', url.searchParams.get('s') ?? '', true)
    expect(await leaveOrder(world.services, placed.orderId, shopper('browser'))).toMatchObject({ state: 'paid' })
    expect(collectedAtGateway()).toHaveLength(1)
  })
})

describe('money is taken once', () => {
  it('two checkouts of one buyer at the same moment are one charge and one grant', async () => {
    const results = await Promise.all(
      [1, 2, 3, 4].map(() => world.buy(course.slug, ask()).then((placed) => placed.state)),
    )
    expect(results).toContain('paid')
    expect(results.every((state) => state === 'paid' || state === 'checking')).toBe(true)
    expect(collectedAtGateway()).toHaveLength(1)
    expect(await world.db.select().from(grants).where(eq(grants.courseId, course.courseId))).toHaveLength(1)
    expect((await world.buy(course.slug, ask())).state).toBe('paid')
    expect(collectedAtGateway()).toHaveLength(1)
  })

  it('two offers of one course, in two tabs at the same moment, are one charge', async () => {
    const other = await world.offer(course.courseId, 9900)
    const results = await Promise.all([
      world.buy(course.slug, ask()),
      world.buy(course.slug, { ...ask('pays', 9900), lines: [{ offerId: other, chosen: null }] }),
    ])
    expect(results.some(({ state }) => state === 'paid')).toBe(true)
    expect(collectedAtGateway()).toHaveLength(1)
  })

  it('another browser with the same address is not charged, and learns nothing; the owner is written to once', async () => {
    await world.buy(course.slug, ask())
    const refused = await world.buy(course.slug, ask(), 'another browser').catch((error: unknown) => error)
    expect(refused).toMatchObject({ code: 'not-with-this-email', status: 409, more: {} })
    expect((refused as Error).message).not.toContain('course')
    expect(await problem(world.buy(course.slug, ask(), 'a third one'))).toBe('not-with-this-email')
    expect(collectedAtGateway()).toHaveLength(1)
    const written = await world.db
      .select({ kind: messages.kind })
      .from(messages)
      .innerJoin(people, eq(people.id, messages.personId))
      .where(and(eq(people.email, ask().email), eq(messages.kind, 'already-owned')))
    expect(written).toHaveLength(1)
  })

  it('a lost answer is found by its key, by the page or by the worker', async () => {
    Object.assign(world.standins.world, { answersLost: true, eventsLost: true })
    const placed = await world.buy(course.slug, ask())
    expect(placed.state).toBe('checking')
    world.standins.world.answersLost = false
    expect(await checkOrder(world.services, placed.orderId, shopper('browser'))).toMatchObject({ state: 'paid' })
    expect(await world.journalOf(placed.orderId)).toContain('attempt-unknown')
    expect(collectedAtGateway()).toHaveLength(1)
  })

  it('paying again while the outcome is unknown begins nothing new', async () => {
    Object.assign(world.standins.world, { answersLost: true, eventsLost: true })
    await world.buy(course.slug, ask())
    world.standins.world.down = true
    expect((await world.buy(course.slug, ask())).state).toBe('checking')
    world.standins.world.down = false
    expect((await world.buy(course.slug, ask())).state).toBe('paid')
    expect(collectedAtGateway()).toHaveLength(1)
  })

  it('a process killed before the call: the key is closed once no call can be on its way, then one can pay', async () => {
    const orderId = await killedBeforeTheCall()
    const [attempt] = await world.attemptsOf(orderId)
    await lookUpUntilSettled(world.services, attempt?.id as string)
    expect((await world.attemptsOf(orderId))[0]?.state).toBe('started')
    world.clock.offsetMs = 40_000
    await lookUpUntilSettled(world.services, attempt?.id as string)
    expect((await world.attemptsOf(orderId))[0]?.state).toBe('abandoned')
    const late = await world.services.gateways.get('thistle')?.begin(
      { account: world.standins.account.id, secret: world.standins.account.keys.practice },
      {
        key: attempt?.key as string,
        amount: 12_900,
        currency: 'EUR',
        source: { token: world.standins.tokenOf('pays'), keep: false },
        reference: `Course ${buyer}`,
        statement: 'X',
      },
    )
    expect(late).toEqual({ state: 'abandoned' })
    expect((await world.buy(course.slug, ask())).state).toBe('paid')
    expect(collectedAtGateway()).toHaveLength(1)
  })

  it('a process killed after the call: the worker finds the money and opens the course', async () => {
    world.standins.world.eventsLost = true
    const orderId = await killedBeforeTheCall()
    const [attempt] = await world.attemptsOf(orderId)
    world.standins.books.begin(world.standins.account, 'practice', attempt?.key as string, {
      amount: 12_900,
      currency: 'EUR',
      token: world.standins.tokenOf('pays'),
      reference: `Course ${buyer}`,
      statement: 'X',
    })
    await lookUpUntilSettled(world.services, attempt?.id as string)
    expect((await world.orderOf(orderId))?.state).toBe('paid')
    expect(await world.grantsOf(orderId)).toHaveLength(1)
  })

  it('the database itself refuses a second open attempt, a second collected one, and a second grant', async () => {
    const { orderId } = await world.buy(course.slug, ask())
    const [attempt] = await world.attemptsOf(orderId)
    const [grant] = await world.grantsOf(orderId)
    if (!attempt || !grant) throw new Error('nothing was stored')
    await expect(
      world.db.insert(attempts).values({ ...attempt, id: randomUUID(), key: randomUUID() }),
    ).rejects.toMatchObject({ cause: { constraint: 'attempts_one_collected' } })
    const open = { ...attempt, state: 'started' as const }
    await world.db.insert(attempts).values({ ...open, id: randomUUID(), key: randomUUID() })
    await expect(
      world.db.insert(attempts).values({ ...open, id: randomUUID(), key: randomUUID() }),
    ).rejects.toMatchObject({ cause: { constraint: 'attempts_one_open' } })
    await expect(world.db.insert(grants).values({ ...grant, id: randomUUID() })).rejects.toMatchObject({
      cause: { constraint: 'grants_once_per_line' },
    })
  })

  /** An order as it stands when the process dies between storing the attempt and calling the gateway. */
  async function killedBeforeTheCall(): Promise<string> {
    const { gateways } = world.services
    const thistle = gateways.get('thistle')
    if (!thistle) throw new Error('no adapter')
    const dying = { ...thistle, begin: () => new Promise<never>(() => {}) }
    void import('./place.ts').then(({ placeOrder }) =>
      placeOrder({ ...world.services, gateways: new Map([['thistle', dying]]) }, course.slug, ask(), {
        mode: 'practice',
        browserHash: hashToken('browser'),
        person: null,
      }),
    )
    let orderId = ''
    await eventually(async () => {
      const [order] = await world.db
        .select()
        .from(orders)
        .where(and(eq(orders.basket, basketOf([{ product: { id: course.courseId } }])), eq(orders.state, 'paying')))
      orderId = order?.id ?? ''
      return orderId !== ''
    })
    return orderId
  }
})

describe('the browser cannot change what is charged', () => {
  it('another amount or currency is refused before anything is stored', async () => {
    expect(await problem(world.buy(course.slug, { ...ask(), agreed: { pay: 1, currency: 'EUR' } }))).toBe(
      'price-changed',
    )
    expect(await problem(world.buy(course.slug, { ...ask(), agreed: { pay: 12_900, currency: 'USD' } }))).toBe(
      'price-changed',
    )
    expect(
      await world.db
        .select()
        .from(orders)
        .where(eq(orders.basket, basketOf([{ product: { id: course.courseId } }]))),
    ).toEqual([])
  })

  it('a price published meanwhile must be agreed to', async () => {
    const request = ask()
    await world.reprice(course.offerId, 14_900)
    expect(await problem(world.buy(course.slug, request))).toBe('price-changed')
    expect((await world.buy(course.slug, { ...request, agreed: { pay: 14_900, currency: 'EUR' } })).state).toBe('paid')
    expect(collectedAtGateway()).toMatchObject([{ amount: 14_900 }])
  })

  it('an offer of another course, a connection of another mode, or no payment at all is refused', async () => {
    const other = await world.sell(100, `Other ${buyer}`)
    expect(await problem(world.buy(course.slug, { ...ask(), lines: [{ offerId: other.offerId, chosen: null }] }))).toBe(
      'not-on-sale',
    )
    expect(await problem(world.buy(course.slug, ask(), 'browser', 'live'))).toBe('method-not-offered')
    expect(await problem(world.buy(course.slug, { ...ask(), payment: null }))).toBe('invalid')
  })

  it('a payment method that is paused takes no order, though an open page still shows it', async () => {
    const set = (pausedAt: Date | null) =>
      world.db.update(connections).set({ pausedAt }).where(eq(connections.id, world.connectionId))
    await set(new Date())
    expect(await problem(world.buy(course.slug, ask()))).toBe('method-not-offered')
    expect(await world.db.$count(people, eq(people.email, email()))).toBe(0)
    await set(null)
    expect((await world.buy(course.slug, ask())).state).toBe('paid')
  })

  it('an order is not told to another browser', async () => {
    const { orderId } = await world.buy(course.slug, ask())
    expect(await problem(checkOrder(world.services, orderId, shopper('another browser')))).toBe('not-found')
  })
})

it('practice and live buyers are two people, with two orders', async () => {
  const free = await world.sell(null, `Both ${buyer}`)
  const request = world.request(free.offerId, 0, { email: email() })
  await world.buy(free.slug, request)
  await world.buy(free.slug, request, 'browser', 'live')
  expect(
    (await world.db.select().from(people).where(eq(people.email, email()))).map(({ mode }) => mode).sort(),
  ).toEqual(['live', 'practice'])
})

describe('an answer that ends in its middle', () => {
  it('is looked up, never repeated blindly: the order is paid once, and refunded once', async () => {
    const course = await world.sell(12_900, 'Half an answer')
    const request = world.request(course.offerId, 12_900, { email: 'half@post.example' })
    const paymentsOf = () =>
      [...world.standins.books.payments.values()].filter(({ reference }) => reference.endsWith('Half an answer'))
    Object.assign(world.standins.world, { answersHalved: true, eventsLost: true })
    const placed = await world.buy(course.slug, request, 'half')
    expect(placed.state).toBe('checking')
    expect(paymentsOf()).toMatchObject([{ state: 'captured' }])
    expect(await world.attemptsOf(placed.orderId)).toMatchObject([{ state: 'unknown' }])
    expect(await world.grantsOf(placed.orderId)).toEqual([])
    // Pressed again while nobody knows: nothing new begins.
    const again = await world.buy(course.slug, request, 'half')
    expect(again).toMatchObject({ orderId: placed.orderId })
    const [attempt] = await world.attemptsOf(placed.orderId)
    await lookUpUntilSettled(world.services, attempt?.id as string)
    expect(await world.orderOf(placed.orderId)).toMatchObject({ state: 'paid' })
    expect(await world.attemptsOf(placed.orderId)).toHaveLength(1)
    expect(paymentsOf()).toHaveLength(1)
    const { rows } = await world.db.execute<{ id: string }>(
      sql`select id from order_lines where order_id = ${placed.orderId}`,
    )
    const back = { lineId: rows[0]?.id as string, amount: 500, courseIds: null, access: 'keep', note: 'half' } as const
    expect(await refundLine(world.services, 'practice', placed.orderId, back)).toMatchObject({ waiting: 500 })
    world.standins.world.answersHalved = false
    const job = world.queue.findLast(({ name }) => name === 'refund-settle')
    const { refundId } = (job as { data: { refundId: string } }).data
    await settleRefund(world.services, refundId)
    expect(paymentsOf()).toMatchObject([{ refunded: 500 }])
    const { rows: given } = await world.db.execute(
      sql`select state, amount::int from refunds where order_id = ${placed.orderId}`,
    )
    expect(given).toEqual([{ state: 'refunded', amount: 500 }])
  })
})
