import { randomUUID } from 'node:crypto'
import { eq, sql } from 'drizzle-orm'
import { Webhook } from 'standardwebhooks'
import { beforeEach, expect, it } from 'vitest'
import { ownWorld } from '../../testing/ownWorld.ts'
import { eventually } from '../../testing/world.ts'
import { connections, disputes, eventRefusals, gatewayEvents } from '../db/schema/index.ts'
import { settleAttempt } from '../fulfilment/settle.ts'
import { needsAttention } from '../support/attention.ts'

const world = ownWorld()
let course: { courseId: string; offerId: string; slug: string }
let buyer = 0

beforeEach(async () => {
  course = await world.sell(12_900, `Course ${++buyer}`)
})

const email = () => `buyer${buyer}@post.example`
const ask = (behaviour = 'pays', pay = 12_900) => world.request(course.offerId, pay, { email: email() }, behaviour)
const _collectedAtGateway = () =>
  [...world.standins.books.payments.values()].filter(
    ({ reference, state }) => state === 'captured' && reference.endsWith(`Course ${buyer}`),
  )

const path = (connectionId = world.connectionId) => `/api/events/${connectionId}`
const signingSecret = async (connectionId = world.connectionId) => {
  const [connection] = await world.db.select().from(connections).where(eq(connections.id, connectionId))
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
      savedMethod: null,
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
  expect((await Promise.all([send(body, { id }), send(body, { id })])).map(({ status }) => status)).toEqual([200, 200])
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
  // Only what is sent here counts.
  world.standins.world.eventsLost = true
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
  const stored = ['"\\ud800"', '{"\\u0000":"a\\\\u0000 \\udc00"}', `${'['.repeat(20_000)}${']'.repeat(20_000)}`]
  for (const data of stored) {
    const answer = await send(`{"type":"odd.\\u0000","data":${data}}`)
    expect([data.slice(0, 20), answer.status]).toEqual([data.slice(0, 20), 200])
  }
  expect(await world.db.$count(gatewayEvents, eq(gatewayEvents.state, 'unreadable'))).toBe(odd.length)
  const kinds = (await needsAttention(world.services, 'practice')).map(({ kind }) => kind)
  expect(kinds).toEqual(expect.arrayContaining(['mismatch', 'unreadable-event']))
})

it('of another connection settles nothing, though it names the key', async () => {
  Object.assign(world.standins.world, { answersLost: true, eventsLost: true })
  const { orderId } = await world.buy(course.slug, ask())
  const [attempt] = await world.attemptsOf(orderId)
  const { moor } = await world.connectOthers()
  const body = captured(attempt?.key as string)
  const headers = async (id: string, connectionId: string) => {
    const webhook = new Webhook(await signingSecret(connectionId))
    // What is signed is the moment that the head names, to the second.
    const at = new Date()
    return {
      'webhook-id': id,
      'webhook-timestamp': String(Math.floor(at.getTime() / 1000)),
      'webhook-signature': webhook.sign(id, at, body),
    }
  }
  const post = async (id: string, connectionId: string) =>
    fetch(world.origin + path(connectionId), { method: 'POST', body, headers: await headers(id, connectionId) })
  expect((await post('of-the-wallet', moor)).status).toBe(200)
  expect(await world.orderOf(orderId)).toMatchObject({ state: 'paying' })
  const [stored] = await world.db.select().from(gatewayEvents).where(eq(gatewayEvents.eventId, 'of-the-wallet'))
  expect(stored).toMatchObject({ state: 'unknown' })
  expect((await post('of-the-card', world.connectionId)).status).toBe(200)
  expect(await world.orderOf(orderId)).toMatchObject({ state: 'paid' })
})

it('replayed, rightly signed, as often as anybody likes: nothing happens twice', async () => {
  const { orderId } = await world.buy(course.slug, ask())
  const [attempt] = await world.attemptsOf(orderId)
  const reference = attempt?.reference as string
  world.standins.announceDispute(world.standins.books.dispute(reference, 'Not theirs'))
  const deliveries = () =>
    world.db
      .select({ id: gatewayEvents.eventId, type: gatewayEvents.type, body: gatewayEvents.body })
      .from(gatewayEvents)
      .where(
        sql`${gatewayEvents.body}::text like ${`%${reference}%`} or ${gatewayEvents.body}::text like ${`%${attempt?.key}%`}`,
      )
  const noted = () => world.db.$count(disputes, eq(disputes.orderId, orderId))
  await eventually(async () => new Set((await deliveries()).map(({ type }) => type)).size > 1 && (await noted()) === 1)
  const everything = async () =>
    Promise.all(
      ['attempts', 'payments', 'grants', 'ledger', 'disputes', 'refunds', 'messages', 'journal', 'orders'].map(
        async (table) => {
          const { rows } = await world.db.execute(
            sql`select md5(string_agg(t::text, '|' order by t::text)) as sum from ${sql.identifier(table)} t`,
          )
          return [table, rows[0]?.sum]
        },
      ),
    )
  const before = await everything()
  for (const { id, body } of await deliveries()) {
    const text = JSON.stringify(body)
    // The same event again, and the same content under another name, many at once.
    const again = await Promise.all(Array.from({ length: 10 }, (_, n) => send(text, n < 5 ? { id: id as string } : {})))
    expect(new Set(again.map(({ status }) => status))).toEqual(new Set([200]))
  }
  expect(await everything()).toEqual(before)
})

it('that was kept but not worked on, because the process was killed, is worked on when it is sent again', async () => {
  Object.assign(world.standins.world, { answersLost: true, eventsLost: true })
  const { orderId } = await world.buy(course.slug, ask())
  const [attempt] = await world.attemptsOf(orderId)
  const body = captured(attempt?.key as string)
  const id = randomUUID()
  const row = { connectionId: world.connectionId, eventId: id, type: 'payment.captured', body: JSON.parse(body) }
  await world.db.insert(gatewayEvents).values({ ...row, state: 'received', receivedAt: new Date() })
  expect((await send(body, { id })).status).toBe(200)
  expect(await world.orderOf(orderId)).toMatchObject({ state: 'paid' })
  const [stored] = await world.db.select().from(gatewayEvents).where(eq(gatewayEvents.eventId, id))
  expect(stored).toMatchObject({ state: 'handled' })
})

it('many at the same moment, each told three times: each is kept once and does its work once', async () => {
  Object.assign(world.standins.world, { answersLost: true, eventsLost: true })
  const placed = await Promise.all(
    Array.from({ length: 5 }, (_, who) =>
      world.buy(
        course.slug,
        world.request(course.offerId, 12_900, { email: `many${buyer}-${who}@post.example` }),
        `many ${buyer} ${who}`,
      ),
    ),
  )
  const keys = await Promise.all(placed.map(async ({ orderId }) => (await world.attemptsOf(orderId))[0]?.key as string))
  const bodies = [
    ...keys.map((key) => captured(key)),
    captured('nobody knows'),
    JSON.stringify({ type: 'odd', data: 1 }),
  ]
  const deliveries = bodies.map((body) => ({ body, id: randomUUID() }))
  const answers = await Promise.all(
    [...deliveries, ...deliveries, ...[...deliveries].reverse()].map(({ body, id }) => send(body, { id })),
  )
  expect(new Set(answers.map(({ status }) => status))).toEqual(new Set([200]))
  for (const { orderId } of placed) {
    expect(await world.orderOf(orderId)).toMatchObject({ state: 'paid' })
    expect((await world.journalOf(orderId)).filter((what) => what === 'order-paid')).toHaveLength(1)
    expect(await world.grantsOf(orderId)).toHaveLength(1)
  }
  for (const [index, { id }] of deliveries.entries()) {
    const stored = await world.db.select().from(gatewayEvents).where(eq(gatewayEvents.eventId, id))
    expect(stored.map(({ state }) => state)).toEqual([index < 5 ? 'handled' : 'unknown'])
  }
})

it('one that is forged among many at the same moment is refused alone', async () => {
  const forged = { secret: `whsec_${Buffer.from('not the secret of school').toString('base64')}` }
  const odd = (n: number) => JSON.stringify({ type: `odd.${n}`, data: {} })
  const ids = Array.from({ length: 6 }, () => randomUUID())
  const answers = await Promise.all(ids.map((id, n) => send(odd(n), n === 3 ? { id, ...forged } : { id })))
  expect(answers.map(({ status }) => status)).toEqual([200, 200, 200, 401, 200, 200])
  const stored = await Promise.all(ids.map((id) => world.db.$count(gatewayEvents, eq(gatewayEvents.eventId, id))))
  expect(stored).toEqual([1, 1, 1, 0, 1, 1])
})
