import { eq } from 'drizzle-orm'
import { expect, it } from 'vitest'
import { ownWorld } from '../../testing/ownWorld.ts'
import { agreementsDue, collectAgreement } from '../collecting/collect.ts'
import { connections } from '../db/schema/index.ts'

const world = ownWorld()

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
  await expect(world.buy(course.slug, world.request(course.offerId, 500))).rejects.toMatchObject({
    code: 'method-not-offered',
  })
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

const call = (method: string, path: string, body?: unknown, mode = 'practice') =>
  world.call(method, `/api/gateways${path}`, body, { cookie: cookie(mode) })
const listed = async (mode = 'practice') => {
  const { gateways } = (await (await call('GET', '', undefined, mode)).json()) as {
    gateways: {
      id: string
      connection: { pausedAt: string | null } | null
      cannot: { says: string; offers: object[] }[]
    }[]
  }
  return gateways
}
const offered = async (mode = 'practice') =>
  (await listed(mode)).filter(({ connection }) => connection && !connection.pausedAt).map(({ id }) => id)
const codeOf = async (response: Response) => ((await response.json()) as { code: string; detail: string }).code
const transfer = {
  account: 'iban',
  title: 'Bank transfer',
  description: '',
  instructions: '',
  holder: 'School',
  iban: 'AT34 0000 0000 1234 5678',
  bic: '',
}

it('says at the field what is wrong with the bank details, and keeps good ones', async () => {
  const wrong = await call(
    'PUT',
    '/transfer',
    { ...transfer, iban: 'AT35 0000 0000 1234 5678', bic: 'ABC', holder: ' ' },
    'live',
  )
  expect(wrong.status).toBe(422)
  const { errors } = (await wrong.json()) as { errors: { at: string }[] }
  expect(errors.map(({ at }) => at).sort()).toEqual(['/bic', '/holder', '/iban'])
  // A bank of another country than the account's would stand in the code that banking apps scan.
  const foreign = await call('PUT', '/transfer', { ...transfer, bic: 'DEUTDEFF' }, 'live')
  expect(((await foreign.json()) as { errors: { at: string }[] }).errors.map(({ at }) => at)).toEqual(['/bic'])
  expect((await call('PUT', '/transfer', { ...transfer, bic: 'TESTATWW' }, 'live')).status).toBe(200)
  // An account in a country without IBANs has a number, and a code of whatever form.
  const other = { ...transfer, account: 'other', bankCode: '632005', bankCodeName: 'Branch code', bic: 'not a BIC' }
  const empty = await call('PUT', '/transfer', { ...other, accountNumber: ' ' }, 'live')
  expect(((await empty.json()) as { errors: object[] }).errors).toEqual([
    { at: '/accountNumber', why: 'Write the account number.' },
  ])
  expect((await call('PUT', '/transfer', { ...other, accountNumber: '40 5211 7739' }, 'live')).status).toBe(200)
  const kept = (await listed('live')).find(({ id }) => id === 'transfer')?.connection
  expect(kept).toMatchObject({ account: '40 5211 7739', transfer: { iban: '', bankCode: '632005' } })
  expect((await call('PUT', '/transfer', transfer, 'live')).status).toBe(200)
  expect((await listed('live')).find(({ id }) => id === 'transfer')?.connection).toMatchObject({
    account: 'AT340000000012345678',
  })
})

it('buyers see the payment methods in the creator’s order; a paused one not at all', async () => {
  expect(await offered('live')).toEqual(['thistle', 'transfer'])
  expect((await call('PUT', '/order', { order: ['transfer', 'thistle'] }, 'live')).status).toBe(200)
  expect(await offered('live')).toEqual(['transfer', 'thistle'])
  expect((await call('PUT', '/order', { order: ['transfer'] }, 'live')).status).toBe(422)
  expect((await call('PUT', '/transfer/pause', { isPaused: true }, 'live')).status).toBe(200)
  expect(await offered('live')).toEqual(['thistle'])
  await call('PUT', '/transfer/pause', { isPaused: false }, 'live')
  expect(await offered('live')).toEqual(['transfer', 'thistle'])
})

it('one that must stand alone says so before it displaces others, and is displaced in turn only when asked', async () => {
  const sole = world.standins.transfers.openAccount('Test school', undefined, true)
  const brook = { adapter: 'brook', account: sole.id, secret: sole.keys.live }
  const asked = await call('POST', '', brook, 'live')
  expect(asked.status).toBe(409)
  expect(await codeOf(asked)).toBe('stands-alone')
  expect(await offered('live')).toEqual(['transfer', 'thistle'])
  expect((await call('POST', '', { ...brook, displace: true }, 'live')).status).toBe(200)
  expect(await offered('live')).toEqual(['brook'])
  const back = await call('PUT', '/thistle/pause', { isPaused: false }, 'live')
  expect(await codeOf(back)).toBe('stands-alone')
  await call('PUT', '/thistle/pause', { isPaused: false, displace: true }, 'live')
  expect(await offered('live')).toEqual(['thistle'])
})

it('what each cannot collect of what is on sale, and why', async () => {
  const every = { count: 1, unit: 'month' } as const
  const terms = { kind: 'subscription', amount: 1900, every, payments: null, setupFee: null, trial: null } as const
  const { offerId } = await world.sell(terms, 'Monthly')
  const brook = (await listed()).find(({ id }) => id === 'brook')
  expect(brook?.cannot).toMatchObject([
    { why: 'no-later', says: 'cannot charge again later', offers: [{ id: offerId }] },
  ])
  expect((await listed()).find(({ id }) => id === 'thistle')?.cannot).toEqual([])
})

it('before it is disconnected it says what would stop; paused, what is agreed is still collected', async () => {
  const every = { count: 1, unit: 'month' } as const
  const terms = { kind: 'subscription', amount: 1900, every, payments: null, setupFee: null, trial: null } as const
  const course = await world.sell(terms, 'Runs on')
  const [connection] = await world.db.query.connections.findMany({
    where: (row, { and, isNull, eq: is }) =>
      and(is(row.adapter, 'thistle'), is(row.mode, 'practice'), isNull(row.disconnectedAt)),
  })
  const token = world.standins.tokenOf('pays')
  const payment = { connectionId: connection?.id as string, token }
  const placed = await world.buy(course.slug, { ...world.request(course.offerId, 1900), payment })
  const stops = (await (await call('GET', '/thistle/stops')).json()) as { agreements: number; amount: number }
  expect(stops.agreements).toBe(1)
  expect(stops.amount).toBeGreaterThanOrEqual(12 * 1900)
  await call('PUT', '/thistle/pause', { isPaused: true })
  world.clock.offsetMs += 32 * 86_400_000
  for (const id of await agreementsDue(world.services, 'practice')) await collectAgreement(world.services, id)
  expect((await world.attemptsOf(placed.orderId)).map(({ state }) => state)).toEqual(['collected', 'collected'])
  await call('DELETE', '/thistle')
  world.clock.offsetMs += 31 * 86_400_000
  for (const id of await agreementsDue(world.services, 'practice')) await collectAgreement(world.services, id)
  expect((await world.attemptsOf(placed.orderId)).at(-1)).toMatchObject({ state: 'declined', reason: 'no-method' })
})
