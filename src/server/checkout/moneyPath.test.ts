import { randomUUID } from 'node:crypto'
import { and, eq } from 'drizzle-orm'
import { Webhook } from 'standardwebhooks'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { GOOD_WEATHER } from '../../standins/world.ts'
import { eventually, openWorld, shopper, type World } from '../../testing/world.ts'
import {
  attempts,
  connections,
  eventRefusals,
  gatewayEvents,
  grants,
  messages,
  orders,
  payments,
  people,
} from '../db/schema/index.ts'
import { Problem } from '../http/problem.ts'
import { needsAttention } from '../orders/attention.ts'
import { hashToken } from '../secrets.ts'
import { lookUpUntilSettled } from './lookup.ts'
import { settleAttempt } from './settle.ts'
import { checkOrder } from './standing.ts'

let world: World
let course: { courseId: string; offerId: string; slug: string }
let buyer = 0

beforeAll(async () => {
  world = await openWorld()
})
afterAll(() => world.close())
beforeEach(async () => {
  Object.assign(world.standins.world, GOOD_WEATHER)
  world.clock.offsetMs = 0
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
      { state: 'collected', amount: 12_900, fee: 238, method: 'card ending 4821', kept: null },
    ])
    expect(await world.db.select().from(payments).where(eq(payments.orderId, orderId))).toMatchObject([
      { state: 'collected', pay: 12_900, tax: 2150 },
    ])
    expect(await world.grantsOf(orderId)).toMatchObject([{ courseId: course.courseId, closes: null, endedAt: null }])
    expect(await world.db.select().from(messages).where(eq(messages.orderId, orderId))).toMatchObject([
      { kind: 'receipt', state: 'waiting' },
      { kind: 'told-sold', state: 'waiting' },
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
      world.buy(course.slug, { ...ask('pays', 9900), offerId: other }),
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
        .where(and(eq(orders.offerId, course.offerId), eq(orders.state, 'paying')))
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
    expect(await world.db.select().from(orders).where(eq(orders.offerId, course.offerId))).toEqual([])
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
    expect(await problem(world.buy(course.slug, { ...ask(), offerId: other.offerId }))).toBe('not-on-sale')
    expect(await problem(world.buy(course.slug, ask(), 'browser', 'live'))).toBe('way-gone')
    expect(await problem(world.buy(course.slug, { ...ask(), payment: null }))).toBe('invalid')
  })

  it('an order is not told to another browser', async () => {
    const { orderId } = await world.buy(course.slug, ask())
    expect(await problem(checkOrder(world.services, orderId, shopper('another browser')))).toBe('not-found')
  })
})

describe('events', () => {
  const path = () => `/api/events/${world.connectionId}`
  const signingSecret = async () => {
    const [connection] = await world.db.select().from(connections).where(eq(connections.id, world.connectionId))
    return world.services.secrets.open(connection?.signingSecret as string)
  }
  const captured = (key: string, amount = 12_900) =>
    JSON.stringify({
      type: 'payment.captured',
      data: {
        id: 'pay-x',
        key,
        state: 'captured',
        amount,
        currency: 'EUR',
        fee: 238,
        reason: null,
        payer: 'card ending 4821',
        expires: null,
        method: null,
        confirm_url: null,
      },
    })
  const send = async (
    body: string,
    { id = randomUUID(), at = new Date(), secret }: { id?: string; at?: Date; secret?: string } = {},
  ) =>
    fetch(world.origin + path(), {
      method: 'POST',
      body,
      headers: {
        'webhook-id': id,
        'webhook-timestamp': String(Math.floor(at.getTime() / 1000)),
        'webhook-signature': new Webhook(secret ?? (await signingSecret())).sign(id, at, body),
      },
    })

  it('the event first, the answer later: one state change', async () => {
    world.standins.world.answersLost = true
    const placed = await world.buy(course.slug, ask())
    await eventually(async () => (await world.orderOf(placed.orderId))?.state === 'paid')
    const [attempt] = await world.attemptsOf(placed.orderId)
    await settleAttempt(
      world.services,
      attempt?.id as string,
      {
        state: 'collected',
        reference: 'pay-x',
        amount: 12_900,
        currency: 'EUR',
        fee: 238,
        method: 'card ending 4821',
        kept: null,
        expires: null,
      },
      'answer',
    )
    expect((await world.journalOf(placed.orderId)).filter((what) => what === 'order-paid')).toHaveLength(1)
    expect(await world.grantsOf(placed.orderId)).toHaveLength(1)
  })

  it('the answer first, the event later, doubled: one state change, two quiet 200s', async () => {
    world.standins.world.eventsLost = true
    const placed = await world.buy(course.slug, ask())
    const [attempt] = await world.attemptsOf(placed.orderId)
    const id = randomUUID()
    const body = captured(attempt?.key as string)
    expect((await Promise.all([send(body, { id }), send(body, { id })])).map(({ status }) => status)).toEqual([
      200, 200,
    ])
    expect(await world.grantsOf(placed.orderId)).toHaveLength(1)
    expect(await world.db.select().from(gatewayEvents).where(eq(gatewayEvents.eventId, id))).toMatchObject([
      { state: 'handled' },
    ])
  })

  it('a late decline after the money came changes nothing', async () => {
    const placed = await world.buy(course.slug, ask())
    const [attempt] = await world.attemptsOf(placed.orderId)
    await settleAttempt(
      world.services,
      attempt?.id as string,
      { state: 'declined', reference: 'pay-x', reason: 'refused', method: null },
      'event',
    )
    expect((await world.orderOf(placed.orderId))?.state).toBe('paid')
    expect((await world.attemptsOf(placed.orderId))[0]?.state).toBe('collected')
  })

  it('forged, changed and replayed from long ago: 401, counted, and nothing else', async () => {
    const placed = await world.buy(course.slug, ask('not-enough-money'))
    const [attempt] = await world.attemptsOf(placed.orderId)
    const body = captured(attempt?.key as string)
    const rows = () => world.db.$count(gatewayEvents)
    const counted = async () => (await world.db.select().from(eventRefusals)).reduce((sum, { count }) => sum + count, 0)
    const before = [await rows(), await counted()] as const
    const forged = await send(body, { secret: `whsec_${Buffer.from('not the secret of school').toString('base64')}` })
    const old = await send(body, { at: new Date(Date.now() - 3_600_000) })
    const unsigned = await fetch(world.origin + path(), { method: 'POST', body })
    expect([forged.status, old.status, unsigned.status]).toEqual([401, 401, 401])
    expect(forged.headers.get('content-type')).toBe('application/problem+json')
    expect([await rows(), await counted()]).toEqual([before[0], before[1] + 3])
    expect((await world.db.select().from(eventRefusals)).length).toBeLessThanOrEqual(2)
    expect((await world.orderOf(placed.orderId))?.state).toBe('open')
  })

  it('an unknown type and an unknown key are kept', async () => {
    const [one, two] = [randomUUID(), randomUUID()]
    await send(JSON.stringify({ type: 'account.renamed', data: {} }), { id: one })
    await send(captured('no-such-key'), { id: two })
    for (const id of [one, two]) {
      expect(await world.db.select().from(gatewayEvents).where(eq(gatewayEvents.eventId, id))).toMatchObject([
        { state: 'unknown' },
      ])
    }
  })

  it('rightly signed, of another amount or shape: kept, told as something to look at, and nothing opens', async () => {
    world.standins.world.answersLost = true
    world.standins.world.eventsLost = true
    const placed = await world.buy(course.slug, ask())
    const [attempt] = await world.attemptsOf(placed.orderId)
    const wrong = captured(attempt?.key as string, 1)
    expect([(await send(wrong)).status, (await send(wrong)).status]).toEqual([200, 200])
    expect((await world.orderOf(placed.orderId))?.state).toBe('paying')
    expect((await world.journalOf(placed.orderId)).filter((what) => what === 'attempt-mismatch')).toHaveLength(1)
    const odd = [
      'no JSON',
      '{"type":7}',
      '{"type":"payment.captured","data":{"key":"k"}}',
      JSON.stringify({ type: 'payment.captured', data: { ...JSON.parse(wrong).data, amount: 1.5 } }),
      '{"type":"dispute.opened","data":{"id":"\\u0000\\ud800"}}',
    ]
    for (const body of odd) expect([body, (await send(body)).status]).toEqual([body, 200])
    const kept = ['"\\ud800"', '{"\\u0000":"a\\\\u0000 \\udc00"}', `${'['.repeat(20_000)}${']'.repeat(20_000)}`]
    for (const data of kept) {
      const answer = await send(`{"type":"odd.\\u0000","data":${data}}`)
      expect([data.slice(0, 20), answer.status]).toEqual([data.slice(0, 20), 200])
    }
    expect(await world.db.$count(gatewayEvents, eq(gatewayEvents.state, 'unreadable'))).toBe(odd.length)
    const kinds = (await needsAttention(world.services, 'practice')).map(({ kind }) => kind)
    expect(kinds).toEqual(expect.arrayContaining(['mismatch', 'unreadable-event']))
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
