import { randomUUID } from 'node:crypto'
import { eq, sql } from 'drizzle-orm'
import { Webhook } from 'standardwebhooks'
import { beforeAll, describe, expect, it } from 'vitest'
import { Dice } from '../testing/dice.ts'
import { fuzzTarget } from '../testing/fuzz/school.ts'
import { type Schema, valueFor } from '../testing/fuzz/values.ts'
import { ownWorld } from '../testing/ownWorld.ts'
import { PASSWORD } from '../testing/school.ts'
import { THREE_PARTS } from '../testing/terms.ts'
import { eventually, type World } from '../testing/world.ts'
import { basketOf } from './checkout/orderRows.ts'
import { makePayLink } from './collecting/payLinks.ts'
import {
  agreements,
  attempts,
  connections,
  courses,
  disputes,
  orders,
  payments,
  refunds,
  transfers,
} from './db/schema/index.ts'

/** Many requests at the same instant: none is left hanging, none breaks the server, and money moves once. */
const world = ownWorld()
let creator: { cookie: string }
beforeAll(async () => {
  creator = { cookie: `acorn_studio=${world.creatorToken}; acorn_mode=practice` }
})

const AT_ONCE = 200
/** More than three requests for each connection to the database. */
const OF_EACH = 40
const PATIENCE_MS = 40_000
const MINUTE = 60_000

/** Statuses of as many requests at once, and how many of each. @throws where one is left hanging. */
async function sendConcurrently(make: (n: number) => Promise<Response>, count = AT_ONCE): Promise<Map<number, number>> {
  const found = new Map<number, number>()
  const late = new Promise<never>((_resolve, reject) => {
    setTimeout(() => reject(new Error('Some requests hang.')), PATIENCE_MS).unref()
  })
  const all = Array.from({ length: count }, async (_, n) => {
    const response = await make(n)
    await response.arrayBuffer()
    found.set(response.status, (found.get(response.status) ?? 0) + 1)
    if (response.status === 503) expect(Number(response.headers.get('retry-after'))).toBeGreaterThan(0)
  })
  await Promise.race([Promise.all(all), late])
  return found
}

/** Asked again until the server had time for it. */
async function served(make: () => Promise<Response>): Promise<Response> {
  for (;;) {
    const response = await make()
    if (response.status !== 503) return response
  }
}

async function plan(name: string, terms: Parameters<World['sell']>[0] = THREE_PARTS, pay = 4300) {
  const course = await world.sell(terms, name)
  const email = `${name.replaceAll(' ', '-').toLowerCase()}@load.example`
  const { orderId } = await world.buy(course.slug, world.request(course.offerId, pay, { email }))
  const [agreement] = await world.db.select().from(agreements).where(eq(agreements.orderId, orderId))
  return { ...course, orderId, agreementId: agreement?.id as string }
}
const collectedFor = (orderId: string) =>
  world.attemptsOf(orderId).then((tries) => tries.filter(({ state }) => state === 'collected').length)

describe(`${AT_ONCE} at once`, () => {
  it('by one pay link: paid once', { timeout: 2 * MINUTE }, async () => {
    const { agreementId, orderId } = await plan('Pay link')
    const key = (await makePayLink(world.services, agreementId)).split('/').at(-1)
    const found = await sendConcurrently(() =>
      world.call('POST', `/api/shop/plan/${key}/pay`, {
        connectionId: null,
        token: '',
        agreed: 4300,
        from: 2,
        to: 2,
      }),
    )
    expect(found.get(500)).toBeUndefined()
    expect(await collectedFor(orderId)).toBe(2)
    expect(await world.db.$count(payments, eq(payments.state, 'collected'))).toBe(2)
  })

  it('cancelling: once', { timeout: 2 * MINUTE }, async () => {
    const monthly = {
      kind: 'subscription',
      amount: 1900,
      every: { count: 1, unit: 'month' },
      payments: null,
      setupFee: null,
      trial: null,
    } as const
    const { agreementId, orderId } = await plan('Cancelled', monthly, 1900)
    const cancel = () => world.call('POST', `/api/agreements/${agreementId}/cancel`, { when: 'period-end' }, creator)
    const found = await sendConcurrently(cancel)
    expect([(found.get(200) ?? 0) <= 1, found.get(500)]).toEqual([true, undefined])
    if (!found.has(200)) expect([200, 409]).toContain((await served(cancel)).status)
    const cancelled = (await world.journalOf(orderId)).filter((what) => what === 'agreement-cancelled')
    expect(cancelled).toHaveLength(1)
  })

  it('buyers: each who is served has paid once', { timeout: 2 * MINUTE }, async () => {
    const course = await world.sell(12_900, 'Crowd')
    const keys = Array.from({ length: AT_ONCE }, () => randomUUID())
    const asked = keys.map((_, n) => world.request(course.offerId, 12_900, { email: `crowd${n}@load.example` }))
    const order = (n: number) =>
      world.call('POST', `/api/shop/checkout/${course.slug}`, asked[n], {
        cookie: `acorn_browser=crowd-${n}`,
        'idempotency-key': keys[n] as string,
      })
    const found = await sendConcurrently(order)
    // Whoever was not served was told to ask again, however slow the machine is, and is served then.
    expect([...found.keys()].filter((status) => ![200, 503].includes(status))).toEqual([])
    for (let n = 0; n < AT_ONCE; n++) expect((await order(n)).status).toBe(200)
    const placed = await world.db
      .select()
      .from(orders)
      .where(eq(orders.basket, basketOf([{ product: { id: course.courseId } }])))
    expect(placed).toHaveLength(AT_ONCE)
    for (const { id } of placed) expect(await collectedFor(id)).toBe(1)
  })

  it('events of disputes: each is noted', { timeout: 2 * MINUTE }, async () => {
    const course = await world.sell(12_900, 'Disputed')
    const { orderId } = await world.buy(course.slug, world.request(course.offerId, 12_900, { email: 'd@load.example' }))
    const [attempt] = await world.attemptsOf(orderId)
    const [connection] = await world.db.select().from(connections).where(eq(connections.id, world.connectionId))
    const webhook = new Webhook(world.services.secrets.open(connection?.signingSecret as string))
    const found = await sendConcurrently((n) => {
      const [id, at] = [randomUUID(), new Date()]
      const data = { id: `dis-${n}`, key: attempt?.key, amount: 1, reason: 'asked', state: 'lost' }
      const body = JSON.stringify({ type: 'dispute.lost', data })
      const headers = {
        'webhook-id': id,
        'webhook-timestamp': String(Math.floor(at.getTime() / 1000)),
        'webhook-signature': webhook.sign(id, at, body),
      }
      return fetch(`${world.origin}/api/events/${world.connectionId}`, { method: 'POST', body, headers })
    })
    expect(found.get(500)).toBeUndefined()
    // What was answered is noted; what took too long to be answered may be noted all the same, and is sent again.
    const noted = await world.db.$count(disputes, eq(disputes.orderId, orderId))
    expect(noted).toBeGreaterThanOrEqual(found.get(200) ?? 0)
    expect(await world.db.$count(refunds, eq(refunds.orderId, orderId))).toBe(noted)
  })

  it('marking a transfer, refunding it, and signing in: once, or later', { timeout: 2 * MINUTE }, async () => {
    const { transfer } = await world.connectOthers()
    const course = await world.sell(12_900, 'Transferred')
    const payment = { connectionId: transfer, token: '' }
    const { orderId } = await world.buy(
      course.slug,
      world.request(course.offerId, 12_900, { email: 't@load.example', payment }),
    )
    const day = world.services.now().toISOString().slice(0, 10)
    const marked = await sendConcurrently(() =>
      world.call('POST', `/api/settling/orders/${orderId}/transfers`, { amount: 12_900, day, note: '' }, creator),
    )
    expect([(marked.get(200) ?? 0) <= 1, marked.get(500)]).toEqual([true, undefined])
    expect(await world.db.$count(transfers, eq(transfers.orderId, orderId))).toBe(1)
    const { lines } = (await (await world.call('GET', `/api/orders/${orderId}`, undefined, creator)).json()) as {
      lines: { id: string }[]
    }
    const refund = { lineId: lines[0]?.id, amount: 12_900, access: 'keep', note: 'asked' }
    const refunded = await sendConcurrently(() =>
      world.call('POST', `/api/settling/orders/${orderId}/refunds`, refund, creator),
    )
    // Whoever stored it may have been told to come back later; it is stored, and given back, once.
    expect([(refunded.get(200) ?? 0) <= 1, refunded.get(500)]).toEqual([true, undefined])
    const given = await world.db.select().from(refunds).where(eq(refunds.orderId, orderId))
    expect(given.map(({ amount }) => amount)).toEqual([12_900])
    const signIn = () =>
      world.call('POST', '/api/session/sign-in', { email: 'owner@school.example', password: PASSWORD })
    const signedIn = await sendConcurrently(signIn)
    expect([...signedIn.keys()].filter((status) => ![200, 503].includes(status))).toEqual([])
    expect((await served(signIn)).status).toBe(200)
  })

  it('copies of one course: each its own address', { timeout: 2 * MINUTE }, async () => {
    const { courseId } = await world.sell(100, 'Copied')
    const copy = () => world.call('POST', `/api/catalogue/courses/${courseId}/duplicate`, {}, creator)
    const found = await sendConcurrently(copy, 40)
    // Who was not served in time is told to come again, and may have been given a copy all the same.
    expect([...found.keys()].filter((status) => ![201, 503].includes(status))).toEqual([])
    expect((await served(copy)).status).toBe(201)
    const copies = await world.db.$count(courses, sql`${courses.draft} ->> 'title' like 'Copied (copy)%'`)
    expect(copies).toBeGreaterThan(found.get(201) ?? 0)
    const slugs = (await world.db.select({ slug: courses.slug }).from(courses)).map(({ slug }) => slug)
    expect(new Set(slugs).size).toBe(slugs.length)
  })
})

describe(`${OF_EACH} at once`, () => {
  it('of everything that changes something: none hangs, and none breaks', { timeout: 10 * MINUTE }, async () => {
    const { known } = await fuzzTarget(world)
    const { paths } = (await (await fetch(`${world.origin}/api/openapi.json`)).json()) as {
      paths: Record<string, Record<string, { requestBody?: { content: { 'application/json': { schema: Schema } } } }>>
    }
    const dice = new Dice(3)
    const changing = Object.entries(paths).flatMap(([path, methods]) =>
      Object.keys(methods)
        .filter((method) => method !== 'get' && !path.endsWith('sign-out') && path !== '/api/school/practice')
        .map((method) => ({ path, method, schema: methods[method]?.requestBody?.content['application/json'].schema })),
    )
    expect(changing.length).toBeGreaterThan(50)
    const broken: string[] = []
    for (const { path, method, schema } of changing) {
      // One body and one address, so that all of them meet at the same rows.
      const body = schema ? valueFor(schema, dice, known) : {}
      const address = path.replace(/\{[^}]*\}/g, () => encodeURIComponent(dice.pick(known)))
      const found = await sendConcurrently(() => world.call(method.toUpperCase(), address, body, creator), OF_EACH)
      if (found.has(500)) broken.push(`${method} ${address} ${JSON.stringify(body)}`)
    }
    expect(broken).toEqual([])
    // What was under way when its request was answered comes to its end.
    await eventually(async () => (await world.db.$count(attempts, eq(attempts.state, 'started'))) === 0)
  })
})
