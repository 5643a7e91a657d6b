import { eq } from 'drizzle-orm'
import { afterAll, beforeAll, expect, it } from 'vitest'
import { openWorld, type World } from '../../testing/world.ts'
import { connections } from '../db/schema/index.ts'

let world: World
beforeAll(async () => {
  world = await openWorld()
})
afterAll(() => world.close())

const cookie = (mode = 'practice') => `acorn_studio=${world.creatorToken}; acorn_mode=${mode}`
const connect = (account: string, secret: string, mode = 'practice') =>
  world.call('POST', '/api/gateways', { adapter: 'thistle', account, secret }, { cookie: cookie(mode) })

it('says at the field what is wrong with account, key or mode', async () => {
  const { id, keys } = world.standins.account
  const cases: [Response, string, RegExp][] = [
    [await connect('nobody', keys.practice), '/account', /no account/],
    [await connect(id, 'nonsense'), '/secret', /does not open/],
    [await connect(id, keys.live), '/secret', /This key is a live key; you are in Practice/],
    [await connect(id, keys.practice, 'live'), '/secret', /This key is a practice key; you are in Live/],
    [await connect(' ', keys.practice), '/account', /Paste/],
  ]
  for (const [response, at, why] of cases) {
    expect(response.status).toBe(422)
    const { errors } = (await response.json()) as { errors: { at: string; why: string }[] }
    expect(errors[0]?.at).toBe(at)
    expect(errors[0]?.why).toMatch(why)
  }
})

it('keeps the key encrypted, and gives back its last four characters alone', async () => {
  const { id, keys } = world.standins.account
  expect((await connect(id, keys.live, 'live')).status).toBe(200)
  const [row] = await world.db.select().from(connections).where(eq(connections.mode, 'live'))
  expect(JSON.stringify(row)).not.toContain(keys.live)
  expect(world.services.secrets.open(row?.secret as string)).toBe(keys.live)
  const shown = await (await world.call('GET', '/api/gateways', undefined, { cookie: cookie('live') })).text()
  expect(shown).toContain(keys.live.slice(-4))
  expect(shown).not.toContain(keys.live)
  expect(shown).not.toContain('whsec')
})

it('says that the gateway does not answer, and changes nothing', async () => {
  world.standins.world.down = true
  const { id, keys } = world.standins.account
  expect((await connect(id, keys.practice)).status).toBe(502)
  world.standins.world.down = false
})

it('disconnected, nothing is sold by it; connected again, it is', async () => {
  const course = await world.sell(500, 'Plug')
  expect((await world.call('DELETE', '/api/gateways/thistle', undefined, { cookie: cookie() })).status).toBe(200)
  await expect(world.buy(course.slug, world.request(course.offerId, 500))).rejects.toMatchObject({ code: 'way-gone' })
  await connect(world.standins.account.id, world.standins.account.keys.practice)
  const [now] = await world.db.query.connections.findMany({
    where: (row, { and, isNull, eq: is }) => and(is(row.mode, 'practice'), isNull(row.disconnectedAt)),
  })
  const request = world.request(course.offerId, 500)
  const placed = await world.buy(course.slug, {
    ...request,
    payment: { connectionId: now?.id as string, token: request.payment?.token ?? '' },
  })
  expect(placed.state).toBe('paid')
})
