import { describe, expect, it } from 'vitest'
import { ownWorld } from '../../testing/ownWorld.ts'
import { PASSWORD } from '../../testing/school.ts'
import { school } from '../db/schema/index.ts'
import { addPerson } from '../people/service.ts'
import { inMode } from '../platform/context.ts'
import { makePasswordLink, setPassword } from '../session/links.ts'

const world = ownWorld()

const signIn = (password: string, email = 'owner@school.example') =>
  world.call('POST', '/api/session/sign-in', { email, password })
const cookieOf = (response: Response) =>
  response.headers
    .getSetCookie()
    .map((cookie) => cookie.split(';')[0])
    .join('; ')

describe('the creator’s session', () => {
  it('is opened by the right password, kept in a cookie that scripts cannot read, and closed', async () => {
    const response = await signIn(PASSWORD)
    expect(response.status).toBe(200)
    expect(response.headers.getSetCookie()[0]).toMatch(/HttpOnly.*SameSite=Lax/)
    const cookie = cookieOf(response)
    expect((await world.call('GET', '/api/catalogue/shelf', undefined, { cookie })).status).toBe(200)
    await world.call('POST', '/api/session/sign-out', undefined, { cookie })
    expect((await world.call('GET', '/api/catalogue/shelf', undefined, { cookie })).status).toBe(401)
  })

  it('ends by itself after its days', async () => {
    const cookie = cookieOf(await signIn(PASSWORD))
    world.clock.offsetMs = 61 * 86_400_000
    expect((await world.call('GET', '/api/catalogue/shelf', undefined, { cookie })).status).toBe(401)
    world.clock.offsetMs = 0
  })

  it('is not ended by practice time that runs ahead', async () => {
    const cookie = cookieOf(await signIn(PASSWORD))
    const { services } = world
    await services.db.update(school).set({ practiceAheadMs: 100 * 86_400_000 })
    const { id } = await addPerson(services, 'practice', 'Ada', 'ahead@post.example')
    const practice = await inMode(services, 'practice')
    const link = await makePasswordLink(practice, id)
    await setPassword(practice, link.split('/').at(-1) ?? '', PASSWORD)
    expect((await world.call('GET', '/api/catalogue/shelf', undefined, { cookie })).status).toBe(200)
    await services.db.update(school).set({ practiceAheadMs: 0 })
  })

  it('an unknown address is told what a wrong password is told', async () => {
    const [unknown, wrong] = await Promise.all([
      signIn('wrong password', 'nobody@school.example'),
      signIn('wrong password'),
    ])
    expect(await unknown.json()).toEqual(await wrong.json())
  })
})

describe('every changing request', () => {
  const changing: [string, string, unknown][] = [
    ['POST', '/api/catalogue/courses', { title: 'X' }],
    ['PUT', '/api/school/shop-mode', { mode: 'live' }],
    ['POST', '/api/gateways', { adapter: 'thistle', account: 'a', secret: 's' }],
    ['POST', '/api/people', { name: 'A', email: 'a@b.example' }],
    ['POST', '/api/session/sign-in', { email: 'owner@school.example', password: PASSWORD }],
    ['POST', '/api/shop/checkout/coptic', {}],
  ]
  it.each(changing)('%s %s is refused from a foreign origin, and from none', async (method, path, body) => {
    const cookie = `acorn_studio=${world.creatorToken}`
    const foreign = await world.call(method, path, body, { cookie, origin: 'https://elsewhere.example' })
    expect(foreign.status).toBe(403)
    const without = await fetch(world.origin + path, {
      method,
      body: JSON.stringify(body),
      headers: { cookie, 'content-type': 'application/json' },
    })
    expect(without.status).toBe(403)
    expect(await without.json()).toMatchObject({ code: 'foreign-origin' })
  })

  it('is refused without a session, with a made-up one, and with a buyer’s', async () => {
    const free = await world.sell(null, 'Free')
    await world.buy(free.slug, world.request(free.offerId, 0))
    const { openSession } = await import('../session/sessions.ts')
    const [person] = await world.db.query.people.findMany()
    const buyerToken = await openSession(world.services, { personId: person?.id as string })
    for (const cookie of ['', 'acorn_studio=made-up', `acorn_studio=${buyerToken}`]) {
      expect((await world.call('POST', '/api/catalogue/courses', { title: 'X' }, { cookie })).status).toBe(401)
    }
  })

  it('answers problems as RFC 9457, with pointers to the fields', async () => {
    const cookie = `acorn_studio=${world.creatorToken}`
    const response = await world.call('POST', '/api/catalogue/courses', { title: '  ' }, { cookie })
    expect(response.status).toBe(422)
    expect(response.headers.get('content-type')).toBe('application/problem+json')
    expect(await response.json()).toMatchObject({
      type: 'urn:young-acorn:invalid',
      status: 422,
      errors: [{ at: '/title', why: 'A course needs a title.' }],
    })
  })
})

it('is set up once', async () => {
  const again = await world.call('POST', '/api/session/setup', {
    school: { name: 'B', currency: 'EUR', language: 'en', timeZone: 'UTC', country: 'AT', taxMode: 'none', taxRate: 0 },
    creator: { name: 'B', email: 'b@b.example', password: PASSWORD },
  })
  expect(again.status).toBe(409)
})

it('describes its API from the schemas that it validates with', async () => {
  const { paths } = (await (await world.call('GET', '/api/openapi.json')).json()) as {
    paths: Record<string, { post?: object }>
  }
  expect(paths['/api/catalogue/courses']?.post).toMatchObject({
    requestBody: { content: { 'application/json': { schema: { properties: { title: { type: 'string' } } } } } },
  })
  expect(paths['/api/shop/checkout/{slug}']?.post).toBeDefined()
})

it('the days of grace with which a new offer begins are set, from 0 on', async () => {
  const cookie = cookieOf(await signIn(PASSWORD))
  const put = async (days: unknown) => (await world.call('PUT', '/api/school/grace', { days }, { cookie })).status
  const stored = async () => (await world.db.select({ days: school.graceDays }).from(school))[0]?.days
  for (const days of [5, 0]) {
    expect(await put(days)).toBe(200)
    expect(await stored()).toBe(days)
  }
  expect(await put(-1)).toBe(422)
  expect(await stored()).toBe(0)
})
