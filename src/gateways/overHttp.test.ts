import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { Webhook } from 'standardwebhooks'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { EventRefused, EventUnreadable, GatewayRefused, GatewayUnreachable } from './contract.ts'
import { overHttp } from './overHttp.ts'

/** A gateway that answers as a test tells it to, however odd. */
let answer: { status: number; body: string; delayMs?: number }
const asked: { method: string; url: string; headers: Record<string, unknown>; body: string }[] = []
const server = createServer((request, response) => {
  let body = ''
  request.on('data', (part) => {
    body += part
  })
  request.on('end', () => {
    asked.push({ method: request.method ?? '', url: request.url ?? '', headers: request.headers, body })
    const { status, body: said, delayMs = 0 } = answer
    setTimeout(() => {
      response.statusCode = status
      response.end(said)
    }, delayMs)
  })
})
let gateway: ReturnType<typeof overHttp>
let impatient: ReturnType<typeof overHttp>
beforeAll(async () => {
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done))
  const origin = `http://127.0.0.1:${(server.address() as AddressInfo).port}`
  gateway = overHttp(
    { name: 'Heather', path: 'heather' },
    { origin, parentOrigin: 'https://school.example', timeoutMs: 60_000 },
  )
  impatient = overHttp(
    { name: 'Heather', path: 'heather' },
    { origin, parentOrigin: 'https://school.example', timeoutMs: 50 },
  )
})
afterAll(() => {
  server.closeAllConnections()
  server.close()
})
beforeEach(() => {
  asked.length = 0
})

const says = (status: number, body: unknown, delayMs = 0) => {
  answer = { status, body: typeof body === 'string' ? body : JSON.stringify(body), delayMs }
}
const credentials = { account: 'acct_1', secret: 'sk_1', at: '2027-01-31T09:00:00.000Z' }
const PAYMENT = {
  id: 'pay_1',
  key: 'key 1',
  state: 'captured',
  amount: 12_900,
  currency: 'EUR',
  fee: 238,
  reason: null,
  payer: 'card ending 4821',
  method: 'saved_1',
  expires: '2031-04-30',
  confirm_url: null,
}
const begin = (by = gateway) =>
  by.begin(credentials, {
    key: 'key 1',
    amount: 12_900,
    currency: 'EUR',
    source: { token: 'tok_1', keep: true },
    reference: 'School: Book',
    statement: 'SCHOOL',
  })

describe('what is sent', () => {
  it('names the account, the key of the try, the practice time, and what is charged', async () => {
    says(200, PAYMENT)
    await begin()
    expect(asked).toMatchObject([
      {
        method: 'POST',
        url: '/heather/v1/payments',
        headers: {
          authorization: 'Bearer sk_1',
          'gateway-account': 'acct_1',
          'practice-time': '2027-01-31T09:00:00.000Z',
          'idempotency-key': 'key 1',
          'content-type': 'application/json',
        },
      },
    ])
    expect(JSON.parse(asked[0]?.body ?? '')).toEqual({
      amount: 12_900,
      currency: 'EUR',
      token: 'tok_1',
      keep: true,
      reference: 'School: Book',
      statement: 'SCHOOL',
    })
  })

  it('asks by the key as it is, whatever stands in it, and sends no practice time for real money', async () => {
    says(200, PAYMENT)
    const { at: _, ...live } = credentials
    await gateway.lookUp(live, 'a/b?c=d&e')
    expect(asked[0]?.url).toBe('/heather/v1/payments/by-key/a%2Fb%3Fc%3Dd%26e')
    expect(asked[0]?.headers).not.toHaveProperty('practice-time')
    expect(asked[0]?.headers).not.toHaveProperty('idempotency-key')
  })
})

describe('what a payment’s state means', () => {
  it.each([
    [{}, { state: 'collected', reference: 'pay_1', amount: 12_900, currency: 'EUR', fee: 238, savedMethod: 'saved_1' }],
    [
      { payer: null, method: null, expires: null },
      { state: 'collected', method: '', savedMethod: null, expires: null },
    ],
    [
      { state: 'declined', reason: 'not-enough-money' },
      { state: 'declined', reason: 'not-enough-money' },
    ],
    [
      { state: 'declined', reason: null, payer: null },
      { state: 'declined', reason: 'refused', method: null },
    ],
    [{ state: 'sent' }, { state: 'awaited', reference: 'pay_1' }],
    [{ state: 'abandoned' }, { state: 'abandoned' }],
    [
      { state: 'confirm', confirm_url: 'https://gateway.example/c?id=1' },
      { state: 'confirming', url: 'https://gateway.example/c?id=1&parent=https%3A%2F%2Fschool.example' },
    ],
  ])('%j', async (more, outcome) => {
    says(200, { ...PAYMENT, ...more })
    expect(await begin()).toMatchObject(outcome)
  })
})

describe('an answer that leaves open whether money moved is no refusal', () => {
  it.each([
    ['it is no JSON', 200, '<html>Bad gateway</html>'],
    ['it is empty', 200, ''],
    ['a fault of the gateway', 500, { error: 'oops', message: 'Oops.' }],
    ['a fault that looks like a refusal', 503, { error: 'declined', message: 'Declined.' }],
    ['a refusal that says nothing', 400, {}],
    ['a refusal that is no JSON', 404, 'Not found'],
    ['a payment without its id', 200, { ...PAYMENT, id: undefined }],
    ['a state that is not known', 200, { ...PAYMENT, state: 'settled' }],
    ['a reason that is not known', 200, { ...PAYMENT, state: 'declined', reason: 'moon-phase' }],
    ['an amount that is text', 200, { ...PAYMENT, amount: '12900' }],
    ['an amount with decimals', 200, { ...PAYMENT, amount: 129.5 }],
    ['an amount below nothing', 200, { ...PAYMENT, amount: -12_900 }],
    ['an amount beyond what can be counted', 200, { ...PAYMENT, amount: 2 ** 53 }],
    ['a day that does not exist', 200, { ...PAYMENT, expires: '2031-02-30' }],
    ['a list', 200, [PAYMENT]],
    ['null', 200, 'null'],
  ])('%s', async (_what, status, body) => {
    says(status, body)
    await expect(begin()).rejects.toBeInstanceOf(GatewayUnreachable)
    await expect(gateway.lookUp(credentials, 'key 1')).rejects.toBeInstanceOf(GatewayUnreachable)
  })

  it('and so is one that does not come in time', async () => {
    says(200, PAYMENT, 400)
    await expect(begin(impatient)).rejects.toThrow('Heather did not answer')
    says(200, PAYMENT)
    expect(await begin()).toMatchObject({ state: 'collected' })
  })
})

describe('a refusal is definite', () => {
  it('with its code, of whatever was asked', async () => {
    says(402, { error: 'bad-token', message: 'This token is used.' })
    const refused = await begin().catch((error: unknown) => error)
    expect(refused).toBeInstanceOf(GatewayRefused)
    expect(refused).toMatchObject({ code: 'bad-token', message: 'This token is used.' })
  })

  it('a key that the gateway has never seen is absent; of a refund it is said why', async () => {
    says(404, { error: 'unknown-key', message: 'No such key.' })
    expect(await gateway.lookUp(credentials, 'never')).toEqual({ state: 'absent' })
    says(409, { error: 'too-much', message: 'More than is left.' })
    expect(await gateway.refund(credentials, { key: 'r1', reference: 'pay_1', amount: 1 })).toEqual({
      state: 'refused',
      why: 'More than is left.',
    })
    says(200, { id: 'ref_1' })
    expect(await gateway.refund(credentials, { key: 'r1', reference: 'pay/1', amount: 1 })).toEqual({
      state: 'refunded',
      reference: 'ref_1',
    })
    expect(asked.at(-1)).toMatchObject({ url: '/heather/v1/payments/pay%2F1/refunds', body: '{"amount":1}' })
  })

  it('an account or key that is wrong is told as such, and nothing else is', async () => {
    says(401, { error: 'wrong-key', message: 'x' })
    expect(await gateway.verify(credentials)).toEqual({ ok: false, why: 'wrong-key' })
    says(404, { error: 'unknown-account', message: 'x' })
    expect(await gateway.verify(credentials)).toEqual({ ok: false, why: 'unknown-account' })
    says(403, { error: 'closed', message: 'This account is closed.' })
    await expect(gateway.verify(credentials)).rejects.toThrow('This account is closed.')
    says(200, { name: 'Ida’s school', mode: 'practice' })
    expect(await gateway.verify(credentials)).toEqual({
      ok: true,
      mode: 'practice',
      accountName: 'Ida’s school',
      standsAlone: false,
    })
  })
})

it('a list of what was collected is read to its last page, and holds nothing but that', async () => {
  const page = (payments: unknown[], next: string | null) => JSON.stringify({ payments, next })
  const row = (id: string, more = {}) => ({
    ...{ ...PAYMENT, id, key: `k ${id}` },
    ...{ captured_at: '2027-01-31T09:00:00Z', reference: 'School: Book', ...more },
  })
  const pages = [page([row('1'), row('2', { state: 'declined' })], 'c 2'), page([], 'c 3'), page([row('3')], null)]
  server.removeAllListeners('request')
  const seen: string[] = []
  server.on('request', (request, response) => {
    seen.push(new URL(request.url ?? '', 'http://x').searchParams.get('after') ?? '')
    response.end(pages[seen.length - 1])
  })
  const found = await gateway.listCollected(credentials, new Date('2027-01-01T00:00:00Z'))
  expect(found.map(({ key, at, about }) => [key, at, about])).toEqual([
    ['k 1', '2027-01-31T09:00:00Z', 'School: Book'],
    ['k 3', '2027-01-31T09:00:00Z', 'School: Book'],
  ])
  expect(seen).toEqual(['', 'c 2', 'c 3'])
})

describe('an event', () => {
  const secret = `whsec_${Buffer.from('a secret of thirty-two bytes, or so').toString('base64')}`
  const signed = (body: string, id = 'evt_1', at = new Date(), by = secret) => ({
    'webhook-id': id,
    'webhook-timestamp': String(Math.floor(at.getTime() / 1000)),
    'webhook-signature': new Webhook(by).sign(id, at, body),
  })
  const read = (body: string, headers = signed(body)) => gateway.readEvent(secret, headers, body)
  const event = (type: string, data: unknown) => JSON.stringify({ type, data })

  it('that is rightly signed says what became of a payment, or of a dispute', () => {
    expect(read(event('payment.captured', PAYMENT))).toMatchObject({
      id: 'evt_1',
      payment: { key: 'key 1', outcome: { state: 'collected', amount: 12_900 } },
    })
    const dispute = { id: 'd1', key: 'key 1', amount: 12_900, reason: 'fraud', state: 'open' }
    expect(read(event('dispute.opened', dispute))).toMatchObject({ payment: null, dispute: { reference: 'd1' } })
    expect(read(event('account.updated', { anything: 1 }))).toMatchObject({ payment: null, dispute: null })
  })

  it('that nobody signed, that was changed since, or that is old is refused', () => {
    const body = event('payment.captured', PAYMENT)
    const other = `whsec_${Buffer.from('another secret of thirty-two bytes').toString('base64')}`
    const hourAgo = new Date(Date.now() - 3_600_000)
    const refused = [
      () => read(body, signed(body, 'evt_1', new Date(), other)),
      () => read(body.replace('12900', '1'), signed(body)),
      () => read(body, signed(body, 'evt_1', hourAgo)),
      () => read(body, { ...signed(body), 'webhook-id': 'evt_2' }),
      () => gateway.readEvent(secret, {}, body),
    ]
    for (const one of refused) expect(one).toThrow(EventRefused)
  })

  it.each([
    ['no JSON', 'payment.captured'],
    ['no event', '{"kind":"payment"}'],
    ['a payment that holds something else', event('payment.captured', { ...PAYMENT, amount: 'much' })],
    [
      'a dispute of a state that is not known',
      event('dispute.opened', { id: 'd', key: 'k', amount: 1, reason: '', state: 'odd' }),
    ],
  ])('that is rightly signed and is %s is kept as unreadable', (_what, body) => {
    expect(() => read(body)).toThrow(EventUnreadable)
  })
})
