import { and, eq } from 'drizzle-orm'
import { describe, expect, it } from 'vitest'
import { ownWorld } from '../../testing/ownWorld.ts'
import { PASSWORD } from '../../testing/school.ts'
import { creators, MESSAGE_KINDS, messages, orders, school } from '../db/schema/index.ts'
import { sendAccountMail } from '../messages/accountMail.ts'
import { sampleOf } from '../messages/samples.ts'
import type { AccountMail } from '../platform/jobs.ts'
import { getSchool } from '../school/service.ts'
import { queueDaily } from '../upkeep/daily.ts'

const world = ownWorld()

const session = (token = world.creatorToken) => ({ cookie: `acorn_studio=${token}; acorn_mode=practice` })
const call = (method: string, path: string, body?: unknown, headers = session()) =>
  world.call(method, `/api/account${path}`, body, headers)
const errorsOf = async (response: Response) =>
  ((await response.json()) as { errors: { at: string }[] }).errors.map(({ at }) => at)
const creator = async () => (await world.db.select().from(creators))[0]
const jobs = () => world.queue.filter(({ name }) => name === 'account-mail').map(({ data }) => data as AccountMail)
async function post(mail: AccountMail) {
  const emails: { to: string; subject: string; text: string; from: { name: string }; replyTo: string }[] = []
  await sendAccountMail(world.services, mail, async (email) => void emails.push(email))
  return emails[0]
}
const signIn = async (email: string, password: string, agent: string) => {
  const response = await world.call('POST', '/api/session/sign-in', { email, password }, { 'user-agent': agent })
  return /acorn_studio=([^;]+)/.exec(response.headers.getSetCookie().join(' '))?.[1] ?? ''
}

describe('the creator’s account', () => {
  it('has a name, which is not empty', async () => {
    expect((await call('PUT', '/name', { name: 'Marlene' })).status).toBe(200)
    expect(await errorsOf(await call('PUT', '/name', { name: ' ' }))).toEqual(['/name'])
    expect((await creator())?.name).toBe('Marlene')
  })

  it('takes another email on by the link that is sent there, and with the password alone', async () => {
    const ask = (email: string, password: string) => call('PUT', '/email', { email, password })
    expect(await errorsOf(await ask('new@school.example', 'not this one'))).toEqual(['/password'])
    expect(await errorsOf(await ask('owner@school.example', PASSWORD))).toEqual(['/email'])
    expect((await ask('new@school.example', PASSWORD)).status).toBe(200)
    expect((await creator())?.email).toBe('owner@school.example')
    const email = await post(jobs().at(-1) as AccountMail)
    expect(email?.to).toBe('new@school.example')
    const token = /\/studio\/email\/(\S+)/.exec(email?.text ?? '')?.[1]
    // A link for an address sets no password.
    const misused = await world.call('POST', '/api/session/password', { token, password: 'another long password' })
    expect(misused.status).toBe(410)
    expect((await world.call('POST', '/api/session/email', { token })).status).toBe(200)
    expect((await creator())?.email).toBe('new@school.example')
    expect((await world.call('POST', '/api/session/email', { token })).status).toBe(410)
  })

  it('is signed in on devices, which are named and signed out from anywhere', async () => {
    const firefox = await signIn('new@school.example', PASSWORD, 'Mozilla/5.0 (X11; Linux x86_64) Firefox/140.0')
    const { devices } = (await (await call('GET', '')).json()) as {
      devices: { id: string; device: string; isThis: boolean }[]
    }
    expect(devices.map(({ isThis }) => isThis).filter(Boolean)).toHaveLength(1)
    const other = devices.find(({ device }) => device.includes('Firefox'))
    expect(other?.isThis).toBe(false)
    expect(JSON.stringify(devices)).not.toMatch(/token/i)
    expect((await call('DELETE', `/devices/${other?.id}`)).status).toBe(200)
    expect((await call('GET', '', undefined, session(firefox))).status).toBe(401)
    const again = await signIn('new@school.example', PASSWORD, 'Phone')
    expect((await call('DELETE', '/devices')).status).toBe(200)
    expect((await call('GET', '', undefined, session(again))).status).toBe(401)
    expect((await call('GET', '')).status).toBe(200)
  })

  it('has a password, changed by who knows the old one; every other device is signed out', async () => {
    const other = await signIn('new@school.example', PASSWORD, 'Phone')
    const change = (current: string, password: string) => call('PUT', '/password', { current, password })
    expect(await errorsOf(await change('wrong', 'another long password'))).toEqual(['/current'])
    expect(await errorsOf(await change(PASSWORD, 'short'))).toEqual(['/password'])
    const changed = await change(PASSWORD, 'another long password')
    const cookie = /acorn_studio=([^;]+)/.exec(changed.headers.getSetCookie().join(' '))?.[1] ?? ''
    expect((await call('GET', '', undefined, session(other))).status).toBe(401)
    expect((await call('GET', '', undefined, session(cookie))).status).toBe(200)
    expect(await signIn('new@school.example', PASSWORD, 'Phone')).toBe('')
    world.creatorToken = cookie
  })
})

describe('mail of the school', () => {
  it('has a sample of every kind, with the creator’s own words and nobody’s data', async () => {
    const mine = await getSchool(world.db)
    for (const kind of MESSAGE_KINDS) {
      const { subject, html, text } = await sampleOf(world.services, mine, kind, 'My own words.')
      expect([
        kind,
        subject.length > 5,
        html.includes('undefined'),
        html.includes('NaN'),
        text.includes('undefined'),
      ]).toEqual([kind, true, false, false, false])
    }
  })

  it('is tested by sending it to oneself, in the sender’s name, with where answers go', async () => {
    const mail = {
      senderName: 'Fold & Quire',
      replyTo: 'help@school.example',
      saleNotices: 'daily',
      renewalNoticeDays: 7,
    }
    expect((await world.call('PUT', '/api/school/mail', mail, session())).status).toBe(200)
    const wrong = await world.call(
      'PUT',
      '/api/school/mail',
      { ...mail, replyTo: 'nobody', renewalNoticeDays: 99 },
      session(),
    )
    expect((await errorsOf(wrong)).sort()).toEqual(['/renewalNoticeDays', '/replyTo'])
    const asked = await world.call('POST', '/api/messages/test', { kind: 'receipt', ownWords: 'See you.' }, session())
    expect(asked.status).toBe(200)
    const email = await post(jobs().at(-1) as AccountMail)
    expect(email).toMatchObject({
      to: 'new@school.example',
      from: { name: 'Fold & Quire' },
      replyTo: 'help@school.example',
      subject: expect.stringMatching(/^Test: Your receipt/),
    })
    expect(email?.text).toContain('See you.')
  })

  it('tells of sales once a day where that is wanted, and of a day without sales nothing', async () => {
    const { slug, offerId } = await world.sell(4900, 'Told daily')
    const { orderId } = await world.buy(
      slug,
      world.request(offerId, 4900, { email: 'daily@post.example', name: 'Dana' }),
    )
    const [order] = await world.db.select().from(orders).where(eq(orders.id, orderId))
    const day = order?.placedOn as string
    const notified = and(eq(messages.orderId, orderId), eq(messages.kind, 'creator-sold'))
    expect(await world.db.$count(messages, notified)).toBe(0)
    const email = await post({ kind: 'sold', mode: 'practice', day })
    expect(email?.subject).toBe('You sold: 1 order, €49.00 (practice)')
    expect(email?.text).toContain('Dana: Told daily, One payment: €49.00')
    expect(await post({ kind: 'sold', mode: 'practice', day: '2020-01-01' })).toBeUndefined()
    const before = jobs().length
    await queueDaily(world.services)
    expect(
      jobs()
        .slice(before)
        .map(({ kind }) => kind),
    ).toEqual(['sold', 'sold'])
    await world.db.update(school).set({ saleNotices: 'off' })
    const quiet = jobs().length
    await queueDaily(world.services)
    expect(jobs()).toHaveLength(quiet)
  })
})
