import { eq } from 'drizzle-orm'
import { afterEach, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { ownWorld } from '../../testing/ownWorld.ts'
import { PASSWORD } from '../../testing/school.ts'
import { shopper } from '../../testing/world.ts'
import { placeOrder } from '../checkout/place.ts'
import { messages, people, rateLimits } from '../db/schema/index.ts'
import { addPerson } from '../people/service.ts'
import { makePasswordLink } from '../session/links.ts'
import { CEILINGS, Limits } from './limits.ts'

const world = ownWorld()
let unlimited: Limits
beforeAll(async () => {
  unlimited = world.services.limits
})
beforeEach(async () => {
  await world.db.delete(rateLimits)
  world.services.limits = new Limits(world.db)
})
afterEach(() => {
  world.services.limits = unlimited
})

const OWNER = 'owner@school.example'
const signIn = (password: string, cookie = '', email = OWNER) =>
  world.call('POST', '/api/session/sign-in', { email, password }, { cookie })
const statusesOf = async (answers: Promise<{ status: number }>[]) =>
  (await Promise.all(answers)).map(({ status }) => status)
const times = <T>(n: number, make: (n: number) => T) => Array.from({ length: n }, (_, index) => make(index))

describe('guessing a password', () => {
  it('at once passes no ceiling: as many are looked at as may be, the others are told when to come again', async () => {
    const statuses = await statusesOf(times(60, () => signIn('wrong password')))
    expect(statuses.filter((status) => status === 401)).toHaveLength(CEILINGS['sign-in:account'].points)
    expect(statuses.filter((status) => status === 429)).toHaveLength(60 - CEILINGS['sign-in:account'].points)
    const slowed = await signIn(PASSWORD)
    expect(slowed.status).toBe(429)
    const wait = Number(slowed.headers.get('retry-after'))
    expect(wait).toBeGreaterThan(0)
    expect(wait).toBeLessThanOrEqual(CEILINGS['sign-in:account'].seconds)
  })

  it('does not lock out a browser that its owner has signed in with; a mark of another account is none', async () => {
    const signedIn = await signIn(PASSWORD)
    const mark = signedIn.headers.getSetCookie().find((cookie) => cookie.startsWith('acorn_known_studio=')) ?? ''
    const known = mark.split(';')[0] as string
    await Promise.all(times(CEILINGS['sign-in:account'].points + 1, () => signIn('wrong password')))
    expect((await signIn(PASSWORD)).status).toBe(429)
    const made = `acorn_known_studio=${world.services.secrets.mark('creator somebody@else.example')}`
    expect((await signIn(PASSWORD, made)).status).toBe(429)
    expect((await signIn(PASSWORD, known)).status).toBe(200)
  })

  it('of many accounts from one address is slowed down too', async () => {
    const statuses = await statusesOf(times(40, (n) => signIn('wrong password', '', `nobody${n}@school.example`)))
    expect(statuses.filter((status) => status === 401)).toHaveLength(CEILINGS['sign-in:ip'].points)
  })

  it('a right password is no try, however often', async () => {
    for (let n = 0; n < 12; n++) expect((await signIn(PASSWORD)).status).toBe(200)
  })
})

describe('links sent anew', () => {
  it('sixty at once send one message, and an address that nobody has gets the same answers', async () => {
    const { id } = await addPerson(world.services, 'practice', 'Ada', 'resend@post.example')
    world.services.limits = new Limits(world.db, { 'mail:ip': 1000, 'mail:range': 1000 })
    const resend = (email: string) => world.call('POST', '/api/shop/password/resend', { email })
    const known = await statusesOf(times(60, () => resend('resend@post.example')))
    const unknown = await statusesOf(times(60, () => resend('nobody@post.example')))
    expect(known).toEqual(unknown)
    expect(new Set(known)).toEqual(new Set([200]))
    expect(await world.db.$count(messages, eq(messages.personId, id))).toBe(1)
  })

  it('from one place are not asked for without end', async () => {
    const resend = (n: number) => world.call('POST', '/api/shop/password/resend', { email: `a${n}@post.example` })
    const statuses = await statusesOf(times(25, resend))
    expect(statuses.filter((status) => status === 429)).toHaveLength(25 - CEILINGS['mail:ip'].points)
  })
})

describe('links that do not exist', () => {
  it('are asked for so often from one place; a link that is one is no guess', async () => {
    const { db, services } = world
    world.services.limits = new Limits(db, { 'guess:ip': 5 })
    const { id } = await addPerson(services, 'practice', 'Grace', 'guessed@post.example')
    const own = new URL(await makePasswordLink(services, id)).pathname
    const open = async (path: string) => (await world.call('GET', path)).status
    for (let n = 0; n < 8; n++) expect(await open(own)).toBe(200)
    const guesses = await Promise.all(times(20, (n) => open(`/pay/guess-${n}`)))
    expect(guesses.filter((status) => status === 410)).toHaveLength(5)
    expect(guesses.filter((status) => status === 429)).toHaveLength(15)
    expect(await open('/password/guess')).toBe(429)
    const set = { token: 'guess', password: 'a password of mine' }
    for (const path of ['/api/shop/password', '/api/session/password', '/api/shop/email', '/api/shop/plan/guess/pay'])
      expect([path, (await world.call('POST', path, set)).status]).toEqual([path, 429])
  })
})

describe('orders', () => {
  const ADDRESS = { ip: '192.0.2.7', range: '192.0.2' }

  it('that are declined are slowed down by the browser that tries cards; those that are paid never count', async () => {
    const course = await world.sell(500, 'Cards')
    const attempt = (behaviour: string, n: number) =>
      placeOrder(
        world.services,
        course.slug,
        world.request(course.offerId, 500, { email: `card${n}@post.example` }, behaviour),
        { ...shopper('tries cards'), address: ADDRESS },
      ).then(
        ({ state }) => state as string,
        (error: { code: string }) => error.code,
      )
    for (let n = 0; n < CEILINGS['order:browser'].points + 2; n++) expect(await attempt('pays', n)).toBe('paid')
    const tried: string[] = []
    for (let n = 0; n < CEILINGS['order:browser'].points + 3; n++)
      tried.push(await attempt('not-enough-money', 100 + n))
    expect(tried.filter((said) => said === 'declined')).toHaveLength(CEILINGS['order:browser'].points)
    expect(tried.at(-1)).toBe('slow-down')
  })

  it('of nothing, each of which writes to the address that was typed, are limited by place and by address', async () => {
    const course = await world.sell(null, 'Free for all')
    const order = (n: number) =>
      placeOrder(world.services, course.slug, world.request(course.offerId, 0, { email: `free${n}@post.example` }), {
        ...shopper(`free ${n}`),
        address: ADDRESS,
      }).then(
        () => 'paid',
        (error: { code: string }) => error.code,
      )
    const said = await Promise.all(times(30, order))
    expect(said.filter((state) => state === 'paid')).toHaveLength(CEILINGS['free:ip'].points)
    const written = await world.db
      .select({ id: messages.id })
      .from(messages)
      .innerJoin(people, eq(people.id, messages.personId))
      .where(eq(messages.kind, 'receipt'))
    expect(written.length).toBeGreaterThanOrEqual(CEILINGS['free:ip'].points)
  })
})

it('what was counted is forgotten after its time', async () => {
  world.services.limits = new Limits(world.db, { 'mail:moment': 1 })
  expect(await world.services.limits.isWithin('mail:moment', 'x')).toBe(true)
  expect(await world.services.limits.isWithin('mail:moment', 'x')).toBe(false)
  await world.db.update(rateLimits).set({ expire: Date.now() - 1 })
  expect(await world.services.limits.isWithin('mail:moment', 'x')).toBe(true)
})

describe('what many ask at the same moment', () => {
  const away = (promise: Promise<void>) => promise.then(() => 0).catch((error: { status: number }) => error.status)

  it('is counted one by one: exactly as many pass as may, whatever else each counts', async () => {
    const limits = new Limits(world.db, { 'code:ip': 7, 'code:browser': 2 })
    const asked = times(20, (n) => away(limits.count({ 'code:ip': 'one place', 'code:browser': `browser ${n % 5}` })))
    const statuses = await Promise.all(asked)
    expect(statuses.filter((status) => status === 0)).toHaveLength(7)
    expect(new Set(statuses)).toEqual(new Set([0, 429]))
  })

  it('is not counted behind the first that is used up: nobody uses up another’s by tries that were refused', async () => {
    const limits = new Limits(world.db, { 'order:ip': 1, 'order:email': 3 })
    const by = { 'order:ip': 'a place', 'order:email': 'practice ida@post.example' }
    for (let tries = 0; tries < 6; tries++) await away(limits.count(by))
    expect(await away(limits.count({ 'order:email': 'practice ida@post.example' }))).toBe(0)
    expect(await away(limits.count({ 'order:email': 'practice ida@post.example' }))).toBe(0)
    expect(await away(limits.count({ 'order:email': 'practice ida@post.example' }))).toBe(429)
  })

  it('is given back as often as it was counted, and never more', async () => {
    const limits = new Limits(world.db, { 'code:ip': 4 })
    const by = { 'code:ip': 'given back' }
    await Promise.all(times(3, () => limits.count(by)))
    await Promise.all(times(3, () => limits.giveBack(by)))
    await Promise.all(times(3, () => limits.giveBack(by)))
    const statuses = await Promise.all(times(6, () => away(limits.count(by))))
    expect(statuses.filter((status) => status === 0)).toHaveLength(4)
    await limits.forget(by)
    expect(await away(limits.count(by))).toBe(0)
  })

  it('by nobody is no try', async () => {
    const limits = new Limits(world.db, { 'code:ip': 0 })
    await limits.count({ 'code:ip': null })
    await limits.giveBack({ 'code:ip': null })
    expect(await away(limits.count({ 'code:ip': 'somebody' }))).toBe(429)
  })
})
