import { eq } from 'drizzle-orm'
import { describe, expect, it } from 'vitest'
import { ownWorld } from '../../testing/ownWorld.ts'
import { PASSWORD } from '../../testing/school.ts'
import { creators, orders, people, school, sessions } from '../db/schema/index.ts'
import { sendAccountMail } from '../messages/accountMail.ts'
import { addPerson, findPerson } from '../people/service.ts'
import type { AccountMail } from '../platform/jobs.ts'
import { makePasswordLink } from './links.ts'
import { openSession } from './sessions.ts'

const world = ownWorld()

const cookieIn = (response: Response, name: string) =>
  response.headers
    .getSetCookie()
    .find((cookie) => cookie.startsWith(`${name}=`))
    ?.split(';')[0] ?? ''
/** Sends the account mail that was queued last, and gives the token in its link. */
async function tokenSent(): Promise<{ to: string; token: string }> {
  const job = world.queue.filter(({ name }) => name === 'account-mail').at(-1)
  let sent = { to: '', token: '' }
  await sendAccountMail(world.services, job?.data as AccountMail, async ({ to, text }) => {
    sent = { to, token: /\/(?:email|studio\/password)\/([\w-]+)/.exec(text)?.[1] ?? '' }
  })
  return sent
}
const queued = () => world.queue.filter(({ name }) => name === 'account-mail').length

describe('a session', () => {
  const DAYS = 86_400_000

  it('of a buyer ends after sixty days', async () => {
    const { id } = await addPerson(world.services, 'practice', 'Sixty', 'sixty@post.example')
    const cookie = `acorn_shop=${await openSession(world.services, { personId: id })}`
    const rename = () =>
      world.call('PUT', '/api/shop/account', { name: 'Sixty Days', email: 'sixty@post.example' }, { cookie })
    world.clock.offsetMs = 59 * DAYS
    expect((await rename()).status).toBe(200)
    world.clock.offsetMs = 61 * DAYS
    expect((await rename()).status).toBe(401)
  })

  it('of a buyer ends with a new password, and is of one mode alone', async () => {
    const { id } = await addPerson(world.services, 'practice', 'Other', 'other-mode@post.example')
    const cookie = `acorn_shop=${await openSession(world.services, { personId: id })}`
    const details = { name: 'Other Mode', email: 'other-mode@post.example' }
    const rename = () => world.call('PUT', '/api/shop/account', details, { cookie })
    expect((await rename()).status).toBe(200)
    await world.db.update(school).set({ shopMode: 'live' })
    expect((await rename()).status).toBe(401)
    await world.db.update(school).set({ shopMode: 'practice' })
    expect((await rename()).status).toBe(200)
    const token = (await makePasswordLink(world.services, id)).split('/').at(-1)
    const set = await world.call('POST', '/api/shop/password', { token, password: 'another long password' })
    expect(set.status).toBe(200)
    expect((await rename()).status).toBe(401)
    expect(
      (await world.call('PUT', '/api/shop/account', details, { cookie: cookieIn(set, 'acorn_shop') })).status,
    ).toBe(200)
  })

  it('of the creator ends after sixty days', async () => {
    const [creator] = await world.db.select().from(creators)
    const cookie = `acorn_studio=${await openSession(world.services, { creatorId: creator?.id as string })}`
    const shelf = () => world.call('GET', '/api/catalogue/shelf', undefined, { cookie })
    world.clock.offsetMs = 59 * DAYS
    expect((await shelf()).status).toBe(200)
    world.clock.offsetMs = 61 * DAYS
    expect((await shelf()).status).toBe(401)
  })
})

describe('the creator’s password', () => {
  const recover = (email: string) => world.call('POST', '/api/session/recover', { email })
  const set = (token: string, password: string) => world.call('POST', '/api/session/password', { token, password })

  it('is set anew by a link that is mailed, once; every other browser is signed out', async () => {
    const before = await openSession(world.services, {
      creatorId: (await world.db.select().from(creators))[0]?.id as string,
    })
    const shelf = (cookie: string) => world.call('GET', '/api/catalogue/shelf', undefined, { cookie })
    expect((await shelf(`acorn_studio=${before}`)).status).toBe(200)
    expect((await recover('owner@school.example')).status).toBe(200)
    const { to, token } = await tokenSent()
    expect(to).toBe('owner@school.example')
    expect((await set(token, 'short')).status).toBe(422)
    const done = await set(token, 'another long password')
    expect(done.status).toBe(200)
    expect((await shelf(`acorn_studio=${before}`)).status).toBe(401)
    expect((await shelf(cookieIn(done, 'acorn_studio'))).status).toBe(200)
    expect((await set(token, PASSWORD)).status).toBe(410)
    const signIn = (password: string) =>
      world.call('POST', '/api/session/sign-in', { email: 'owner@school.example', password })
    expect((await signIn(PASSWORD)).status).toBe(401)
    expect((await signIn('another long password')).status).toBe(200)
  })

  it('is not asked for by somebody else’s address, which is told the same', async () => {
    const before = queued()
    const answer = await recover('nobody@school.example')
    expect([answer.status, await answer.json()]).toEqual([200, { ok: true }])
    expect(queued()).toBe(before)
  })
})

describe('a buyer’s details', () => {
  const signedIn = async (email: string) => {
    const { id } = await addPerson(world.services, 'practice', 'Ada', email)
    const cookie = `acorn_shop=${await openSession(world.services, { personId: id })}`
    return { id, cookie }
  }
  const call = (method: string, path: string, body: unknown, cookie = '') =>
    world.call(method, `/api/shop${path}`, body, { cookie })

  it('are changed by whoever is signed in as them, and nobody else', async () => {
    const { id, cookie } = await signedIn('details@post.example')
    expect((await call('PUT', '/account', { name: 'Ada Lind' }, cookie)).status).toBe(200)
    expect((await call('PUT', '/account', { name: ' ' }, cookie)).status).toBe(422)
    expect((await call('PUT', '/account', { name: 'X' })).status).toBe(401)
    expect((await call('POST', '/account/email', { email: 'x@y.example' })).status).toBe(401)
    const [person] = await world.db.select().from(people).where(eq(people.id, id))
    expect(person?.name).toBe('Ada Lind')
  })

  it('take a new address on once it is confirmed there; other browsers are signed out', async () => {
    const { id, cookie } = await signedIn('old@post.example')
    await openSession(world.services, { personId: id })
    expect((await call('POST', '/account/email', { email: 'new@post.example' }, cookie)).status).toBe(200)
    expect(await findPerson(world.db, 'practice', 'new@post.example')).toBeNull()
    const { to, token } = await tokenSent()
    expect(to).toBe('new@post.example')
    expect((await call('POST', '/password', { token, password: PASSWORD })).status).toBe(410)
    expect((await call('POST', '/email', { token })).status).toBe(200)
    expect((await findPerson(world.db, 'practice', 'new@post.example'))?.id).toBe(id)
    expect(await world.db.$count(sessions, eq(sessions.personId, id))).toBe(1)
    expect((await call('PUT', '/account', { name: 'X' }, cookie)).status).toBe(401)
    expect((await call('POST', '/email', { token })).status).toBe(410)
  })

  it('do not take on an address that another buyer has, and asking does not tell that', async () => {
    const { cookie } = await signedIn('third@post.example')
    await addPerson(world.services, 'practice', 'Ben', 'taken@post.example')
    expect((await call('POST', '/account/email', { email: 'taken@post.example' }, cookie)).status).toBe(200)
    const { token } = await tokenSent()
    expect(await (await call('POST', '/email', { token })).json()).toMatchObject({ errors: [{ at: '/email' }] })
  })

  it('are put right by the creator, in the orders’ search too', async () => {
    const course = await world.sell(500, 'Corrected')
    const { orderId } = await world.buy(
      course.slug,
      world.request(course.offerId, 500, { email: 'wrogn@post.example' }),
    )
    const person = await findPerson(world.db, 'practice', 'wrogn@post.example')
    await addPerson(world.services, 'practice', 'Ben', 'ben@post.example')
    const creator = (await world.db.select().from(creators))[0]?.id as string
    const cookie = `acorn_studio=${await openSession(world.services, { creatorId: creator })}; acorn_mode=practice`
    const correct = (email: string) =>
      world.call(
        'PUT',
        `/api/people/${person?.id}`,
        { name: 'Ada Right', email, postalAddress: '', note: 'wrote to us' },
        { cookie },
      )
    expect(await (await correct('ben@post.example')).json()).toMatchObject({ errors: [{ at: '/email' }] })
    expect((await correct('wrong@post.example')).status).toBe(200)
    const [order] = await world.db.select().from(orders).where(eq(orders.id, orderId))
    expect(order?.searchText).toContain('ada right wrong@post.example corrected')
    expect((await correct('wrong@post.example')).status).toBe(200)
  })
})
