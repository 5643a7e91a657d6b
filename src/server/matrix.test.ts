import { asc, eq, sql } from 'drizzle-orm'
import { beforeAll, describe, expect, it } from 'vitest'
import { ownWorld } from '../testing/ownWorld.ts'
import { NOTHING_RENDERED } from '../testing/school.ts'
import { THREE_PARTS } from '../testing/terms.ts'
import { apiRoutes } from './app.ts'
import { agreements, disputes, grants, messages, people, transfers } from './db/schema/index.ts'
import { accountsOf, enterPayout } from './ledger/payouts.ts'
import { openSession } from './session/sessions.ts'

/**
 * Every address of the API, crossed with who may not use it. One that is new must be entered here: whose it is, and
 * what the others are answered.
 */
const world = ownWorld()
const note = 'why'
let ids: Record<
  'order' | 'waiting' | 'plan' | 'grant' | 'person' | 'other' | 'transfer' | 'dispute' | 'message' | 'payout',
  string
>
let buyers: Record<'ada' | 'ben', { cookie: string }>
const SECOND_NAME = 'Ada Underbridge'

beforeAll(async () => {
  const { db, services } = world
  const { transfer } = await world.connectOthers()
  const parts = await world.sell(THREE_PARTS, 'Secret marbling')
  const single = await world.sell(12_900, 'Secret folding')
  const buy = async (name: string, email: string, paymentMethod: string | null) => {
    const of = paymentMethod ? single : parts
    const payment = paymentMethod ? { payment: { connectionId: paymentMethod, token: '' } } : {}
    const { orderId } = await world.buy(
      of.slug,
      world.request(of.offerId, paymentMethod ? 12_900 : 4300, { name, email, ...payment }),
      email,
    )
    return orderId
  }
  const order = await buy(SECOND_NAME, 'ada@matrix.example', null)
  const waiting = await buy(SECOND_NAME, 'ada@matrix.example', transfer)
  await buy('Ben', 'ben@matrix.example', null)
  const called = { cookie: `acorn_studio=${world.creatorToken}; acorn_mode=practice` }
  const today = new Date(services.now()).toISOString().slice(0, 10)
  await world.call('POST', `/api/settling/orders/${waiting}/transfers`, { amount: 100, day: today, note: '' }, called)
  const [attempt] = await world.attemptsOf(order)
  const [dispute] = await db
    .insert(disputes)
    .values({
      orderId: order,
      attemptId: attempt?.id as string,
      reference: 'd1',
      amount: 4300,
      reason: 'unknown',
      state: 'open',
      createdAt: services.now(),
    })
    .returning()
  const personOf = async (email: string) => {
    const [person] = await db.select().from(people).where(eq(people.email, email))
    return person?.id as string
  }
  const [agreement] = await db.select().from(agreements).where(eq(agreements.orderId, order))
  const [grant] = await db.select().from(grants).where(eq(grants.orderId, order))
  const [came] = await db.select().from(transfers).where(eq(transfers.orderId, waiting))
  await enterPayout(services, 'practice', { paymentMethod: 'thistle', amount: 100, day: today, note })
  const { payouts } = await accountsOf(services, 'practice')
  const [message] = await db.select().from(messages).where(eq(messages.orderId, order))
  ids = {
    order,
    waiting,
    plan: agreement?.id as string,
    grant: grant?.id as string,
    person: await personOf('ada@matrix.example'),
    other: await personOf('ben@matrix.example'),
    transfer: came?.id as string,
    dispute: dispute?.id as string,
    message: message?.id as string,
    payout: payouts[0]?.id as string,
  }
  const cookieOf = async (personId: string) => ({ cookie: `acorn_shop=${await openSession(services, { personId })}` })
  buyers = { ada: await cookieOf(ids.person), ben: await cookieOf(ids.other) }
})

type Address = readonly [address: string, body?: () => unknown]

/** Of one order, buyer or agreement of a mode: in the other mode there is no such thing. */
const OF_A_MODE: readonly Address[] = [
  ['GET /orders/{order}'],
  ['GET /orders/{order}/receipt.pdf'],
  ['POST /agreements/{plan}/cancel', () => ({ when: 'now' })],
  ['POST /agreements/{plan}/uncancel', () => ({})],
  ['POST /agreements/{plan}/stop', () => ({ note })],
  ['POST /agreements/{plan}/write-off', () => ({ note })],
  ['POST /agreements/{plan}/try', () => ({ agreed: 4300, from: 2, to: 2 })],
  ['POST /agreements/{plan}/pay-link', () => ({})],
  ['POST /agreements/{plan}/resume-retrying', () => ({})],
  ['POST /agreements/{plan}/move', () => ({ day: '2099-01-01', note })],
  ['POST /settling/orders/{order}/refunds', () => ({ lineId: ids.order, amount: 100, access: 'keep', note })],
  ['POST /settling/orders/{order}/refunds/whole', () => ({ attemptId: ids.order, access: 'keep', note })],
  [
    'POST /settling/orders/{order}/refunds/outside',
    () => ({ lineId: ids.order, amount: 100, reference: 'r', access: 'keep', note }),
  ],
  ['POST /settling/orders/{waiting}/transfers', () => ({ amount: 100, day: '2027-01-01', note })],
  ['POST /settling/orders/{waiting}/transfers/{transfer}/take-back', () => ({ note })],
  ['POST /settling/orders/{waiting}/transfers/{transfer}/given-back', () => ({ note })],
  ['POST /settling/orders/{waiting}/transfers/give-up', () => ({})],
  ['POST /settling/orders/{waiting}/transfers/wait-again', () => ({})],
  ['POST /settling/orders/{order}/codes/give-back', () => ({})],
  ['POST /settling/disputes/{dispute}/answer', () => ({ accept: true, access: 'close', note })],
  ['POST /settling/disputes/{dispute}/access', () => ({ access: 'close', note })],
  ['GET /messages/{message}'],
  ['POST /messages/{message}/again', () => ({ email: 'm@matrix.example' })],
  ['POST /messages/{message}/send', () => ({})],
  ['GET /people/{person}'],
  ['PUT /people/{person}', () => ({ name: 'Mallory', email: 'm@matrix.example', postalAddress: '', note })],
  ['POST /people/{person}/join', () => ({ other: ids.other, note })],
  ['GET /people/{person}/data.json'],
  ['POST /people/{person}/erase', () => ({ note })],
  ['POST /people/{person}/password-link', () => ({})],
  ['POST /people/{person}/grants', () => ({ courseIds: [ids.order], note })],
  ['PUT /people/grants/{grant}/until', () => ({ until: null })],
  ['POST /people/grants/{grant}/take-back', () => ({ note })],
  ['DELETE /money/payouts/{payout}'],
]

/** Lists and sums of a mode: in the other mode nothing of this one is in them. */
const LISTS = [
  'GET /orders',
  'GET /orders/orders.csv',
  'GET /orders/items.csv',
  'GET /people/people.csv',
  'GET /orders/attention',
  'GET /orders/recent',
  'GET /orders/sum',
  'GET /people/overview',
  'GET /money/months?from=2020-01&until=2030-01',
  'GET /money/span?from=2020-01-01&until=2030-12-31',
  'GET /money/payments?from=2020-01-01&until=2030-12-31',
  'GET /money/late?status=late',
  'GET /money/movements?from=2020-01-01&until=2030-12-31',
  'GET /money/movements.csv?from=2020-01-01&until=2030-12-31',
  'GET /money/products?from=2020-01-01&until=2030-12-31&by=course',
  'GET /money/accounts',
  'GET /money/payments.csv?from=2020-01-01&until=2030-12-31',
  'GET /money/to-come.ics',
  'GET /messages',
  'GET /people',
  'GET /find?search=underbridge',
]

/** Of the school as a whole, for its creator in either mode. That strangers and buyers get nothing is tried beside. */
const OF_THE_SCHOOL =
  /^(GET|PUT|POST|DELETE) \/(account|school|catalogue|bundles|pages|offers|coupons|media|gateways)\b|^POST \/(people|money\/payouts)$|^POST \/messages\/(sample|test)$/

/** Of one buyer, or the browser that ordered: what anybody else is answered. */
const OF_A_BUYER: readonly Address[] = [
  ['POST /shop/plan/{plan}/pay', () => ({ connectionId: null, token: '', agreed: 4300, from: 2, to: 2 })],
  ['POST /shop/plan/{plan}/check', () => ({ from: 2, to: 2 })],
  ['POST /shop/plan/{plan}/leave', () => ({})],
  ['PUT /shop/plan/{plan}/method', () => ({ connectionId: world.connectionId, token: 'x' })],
  ['POST /shop/plan/{plan}/cancel', () => ({})],
  ['POST /shop/plan/{plan}/uncancel', () => ({})],
  ['POST /shop/orders/{order}/check', () => ({})],
  ['POST /shop/orders/{order}/leave', () => ({})],
  ['POST /shop/upsells/{order}/{other}', () => ({ agreed: { pay: 0, currency: 'EUR' }, payment: null })],
  ['POST /shop/upsells/{order}/{other}/no', () => ({})],
]

/** For whoever is there: signing in and out, and what the shop sells. Each of them is tried where it belongs. */
const FOR_ANYBODY = [
  'GET /session',
  'POST /session/setup',
  'POST /session/sign-in',
  'POST /session/recover',
  'POST /session/password',
  'POST /session/email',
  'POST /session/sign-out',
  'GET /shop/checkout/:slug',
  'POST /shop/checkout/:slug',
  'POST /shop/checkout/:slug/quote',
  'POST /shop/sign-in',
  'POST /shop/password',
  'PUT /shop/account',
  'POST /shop/account/email',
  'POST /shop/email',
  'POST /shop/password/resend',
]

const call = ([address, body]: Address, headers: Record<string, string>) => {
  const [method = '', path = ''] = address.split(' ')
  const filled = path.replace(/\{(\w+)\}/g, (_, name: keyof typeof ids) => ids[name])
  return world.call(method, `/api${filled}`, body?.(), headers)
}

/** Everything that an order, a buyer or an agreement is made of. */
async function everything(): Promise<unknown> {
  const tables = [
    'orders',
    'order_lines',
    'payments',
    'attempts',
    'agreements',
    'grants',
    'refunds',
    'transfers',
    'disputes',
    'people',
    'messages',
    'ledger',
  ]
  const rows = await Promise.all(
    tables.map((table) =>
      world.db.execute(sql`select md5(string_agg(t::text, '|' order by t.id)) as sum from ${sql.identifier(table)} t`),
    ),
  )
  return rows.map(({ rows: [row] }, index) => [tables[index], row?.sum])
}

it('holds every address of the API', () => {
  const named = (address: string) => address.replace(/\?.*$/, '').replace(/\{\w+\}/g, ':id')
  const entered = new Set(
    [...OF_A_MODE.map(([address]) => address), ...LISTS, ...OF_A_BUYER.map(([address]) => address)].map(named),
  )
  const free = new Set(FOR_ANYBODY)
  const missing = apiRoutes(world.services, NOTHING_RENDERED)
    .routes.filter(({ method, path }) => method !== 'ALL' && !path.endsWith('*'))
    .map(({ method, path }) => `${method} ${path}`)
    .filter(
      (address) => !OF_THE_SCHOOL.test(address) && !free.has(address) && !entered.has(address.replace(/:\w+/g, ':id')),
    )
  expect([...new Set(missing)]).toEqual([])
})

describe('the creator who looks at the other mode', () => {
  const live = () => ({ cookie: `acorn_studio=${world.creatorToken}; acorn_mode=live` })

  it('finds, changes and moves nothing of this one, though they know every id', async () => {
    const before = await everything()
    for (const address of OF_A_MODE) {
      const answer = await call(address, live())
      expect([address[0], answer.status, answer.status === 404 ? '' : await answer.text()]).toEqual([
        address[0],
        404,
        '',
      ])
    }
    expect(await everything()).toEqual(before)
  })

  it('sees nothing of it in any list, file or sum', async () => {
    const practice = { cookie: `acorn_studio=${world.creatorToken}; acorn_mode=practice` }
    const shown: string[] = []
    for (const address of LISTS) {
      const [there, here] = await Promise.all([call([address], practice), call([address], live())])
      expect([address, there.status, here.status]).toEqual([address, 200, 200])
      const [said, silent] = [await there.text(), await here.text()]
      if (/underbridge|4300|43\.00|129/i.test(said)) shown.push(address)
      expect([address, silent.match(/underbridge|secret|43\.?00|12900|129\.00/i)]).toEqual([address, null])
    }
    // A list that holds nothing in either mode would prove nothing.
    expect(shown.length).toBeGreaterThan(9)
  })
})

describe('what is one buyer’s', () => {
  it('is refused to nobody, another buyer, and the creator, and nothing is changed', async () => {
    const before = await everything()
    const creator = { cookie: `acorn_studio=${world.creatorToken}; acorn_mode=practice` }
    const strangers = [{}, buyers.ben, creator, { cookie: 'acorn_shop=made-up; acorn_browser=made-up' }]
    for (const address of OF_A_BUYER) {
      for (const who of strangers) {
        const answer = await call(address, who)
        expect([address[0], who, answer.status]).toEqual([address[0], who, address[0].includes('/plan/') ? 410 : 404])
      }
    }
    expect(await everything()).toEqual(before)
  })

  it('is theirs alone of the studio too: no address of it knows a buyer', async () => {
    for (const [address, body] of OF_A_MODE) {
      const answer = await call([address, body], buyers.ada)
      expect([address, answer.status]).toEqual([address, 401])
    }
  })

  it('is theirs: they may ask how their order stands', async () => {
    const answer = await call(['POST /shop/orders/{order}/check', () => ({})], buyers.ada)
    expect(await answer.json()).toMatchObject({ state: 'paid' })
    const [first] = await world.db.select().from(messages).orderBy(asc(messages.createdAt)).limit(1)
    expect(first).toBeDefined()
  })
})
