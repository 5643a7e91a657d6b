import { request } from 'node:http'
import { describe, expect, it } from 'vitest'
import { MAX_PICTURE_BYTES } from '../core/content/course.ts'
import { ownWorld } from '../testing/ownWorld.ts'
import { PASSWORD } from '../testing/school.ts'
import { makeApp } from './app.ts'
import { eventRefusals, gatewayEvents } from './db/schema/index.ts'
import { BODY_LIMITS } from './http/bodies.ts'

const world = ownWorld()

const KB = 1024

/**
 * Sends a body in pieces until the server answers. Where its length is said and too large, the first piece must be
 * enough for an answer. @returns the status, and how many bytes had been sent by then.
 */
function send(path: string, bytes: number, isSized: boolean, waits = isSized) {
  return new Promise<{ status: number; sent: number }>((resolve, reject) => {
    let sent = 0
    let status = 0
    const asked = request(world.origin + path, {
      method: 'POST',
      headers: {
        origin: world.origin,
        'content-type': 'application/json',
        cookie: `acorn_studio=${world.creatorToken}`,
        ...(isSized ? { 'content-length': String(bytes) } : {}),
      },
    })
    const piece = Buffer.alloc(16 * KB, 'x')
    const next = () => {
      if (status !== 0) return
      if (sent >= bytes) return void asked.end()
      if (waits && sent > 0) return
      const part = piece.subarray(0, bytes - sent)
      sent += part.length
      asked.write(part, () => setImmediate(next))
    }
    asked.on('response', (answer) => {
      status = answer.statusCode ?? 0
      answer.resume()
      resolve({ status, sent })
      asked.destroy()
    })
    // A server that has answered may close while a piece is on its way.
    asked.on('error', (error) => status === 0 && reject(error))
    next()
  })
}

it('events that nobody signed are counted, not kept', async () => {
  for (let n = 0; n < 20; n++) {
    const answer = await world.call('POST', `/api/events/${world.connectionId}`, { type: 'payment.captured', n })
    expect(answer.status).toBe(401)
  }
  expect(await world.db.$count(gatewayEvents)).toBe(0)
  const counted = await world.db.select().from(eventRefusals)
  expect(counted.length).toBeLessThanOrEqual(2)
  expect(counted.reduce((sum, { count }) => sum + count, 0)).toBe(20)
})

describe('bodies over their limit', () => {
  const paths = [
    ['/api/session/sign-in', BODY_LIMITS.anybody],
    ['/api/shop/checkout/any', BODY_LIMITS.anybody],
    ['/api/shop/plan/any/pay', BODY_LIMITS.anybody],
    ['/api/catalogue/courses', BODY_LIMITS.creator],
    ['/api/offers', BODY_LIMITS.creator],
    ['/api/media/pictures', MAX_PICTURE_BYTES + 64 * KB],
  ] as const

  it.each(paths)('%s: refused by their length before they are read', async (path, limit) => {
    expect((await send(path, limit + 1, true)).status).toBe(413)
  })

  it('and without a length once so much has come, wherever somebody unknown may send one', async () => {
    for (const [path, limit] of paths.slice(0, 3)) {
      const { status, sent } = await send(path, 64 * limit, false)
      expect([path, status]).toEqual([path, 413])
      expect(sent).toBeLessThan(64 * limit)
    }
  })

  it('events of gateways too, with and without a length', async () => {
    const path = `/api/events/${world.connectionId}`
    expect((await send(path, BODY_LIMITS.event + 1, true)).status).toBe(413)
    expect((await send(path, 64 * BODY_LIMITS.event, false)).status).toBe(413)
    expect((await send(path, BODY_LIMITS.event, true, false)).status).toBe(401)
  })
})

describe('behind a proxy that ends TLS', () => {
  const nothing = {
    render: async () => ({ markup: '', parts: [] }),
    form: async () => '',
    shopFiles: () => [],
    studioFiles: () => [],
  } as never
  const origin = 'https://school.example'
  const call = (path: string, init: RequestInit = {}) =>
    makeApp({ ...world.services, config: { ...world.services.config, origin } }, nothing).request(path, {
      ...init,
      headers: { origin, 'content-type': 'application/json', ...(init.headers ?? {}) },
    })
  const signIn = () =>
    call('/api/session/sign-in', {
      method: 'POST',
      body: JSON.stringify({ email: 'owner@school.example', password: PASSWORD }),
    })

  it('cookies go over TLS alone, and browsers are told to ask in no other way', async () => {
    const answer = await signIn()
    expect(answer.status).toBe(200)
    const cookies = answer.headers.getSetCookie()
    expect(cookies.length).toBeGreaterThan(0)
    for (const cookie of cookies) expect(cookie).toMatch(/; HttpOnly; Secure; SameSite=Lax$/)
    expect(answer.headers.get('strict-transport-security')).toContain('max-age=')
  })

  it('without TLS neither is said, or nobody could sign in', async () => {
    const answer = await world.call('POST', '/api/session/sign-in', {
      email: 'owner@school.example',
      password: PASSWORD,
    })
    expect(answer.headers.getSetCookie().join()).not.toContain('Secure')
    expect(answer.headers.get('strict-transport-security')).toBeNull()
  })

  it('forms go nowhere else, and private answers are kept by nobody on the way', async () => {
    const cookie = (await signIn()).headers
      .getSetCookie()
      .map((part) => part.split(';')[0])
      .join('; ')
    for (const path of [
      '/api/school',
      '/api/orders',
      '/api/money/payments.csv?from=2026-01&until=2026-12',
      '/api/money/to-come.ics',
    ]) {
      const answer = await call(path, { headers: { cookie } })
      expect([path, answer.headers.get('cache-control')]).toEqual([path, 'no-store'])
      expect(answer.headers.get('content-security-policy')).toContain("form-action 'self'")
    }
  })
})
