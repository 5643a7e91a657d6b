import { eq } from 'drizzle-orm'
import { describe, expect, it } from 'vitest'
import { ownWorld } from '../../testing/ownWorld.ts'
import { takeBack } from '../access/close.ts'
import { accessDecisionOn } from '../access/decision.ts'
import { giveAccess } from '../access/give.ts'
import { checkAccess, listGrants } from '../access/service.ts'
import { passwordLinks, people } from '../db/schema/index.ts'
import { composeReceipt, type Email, greeting } from '../messages/compose.ts'
import { sendMessage } from '../messages/send.ts'
import { hashToken } from '../platform/secrets.ts'
import { getSchool } from '../school/service.ts'
import { makePasswordLink, readBuyerLink } from '../session/links.ts'
import { listOrders, openOrder } from '../support/orders.ts'
import { addPerson, correctPerson, findPerson, listPeople, openPerson } from './service.ts'

const world = ownWorld()

const PASSWORD = 'buyers have passwords too'
const tokenIn = (link: string) => link.split('/').at(-1) ?? ''
const setPassword = (token: string, password = PASSWORD) =>
  world.call('POST', '/api/shop/password', { token, password })
const bought = async (title: string, email: string) => {
  const course = await world.sell(100, title)
  const { orderId } = await world.buy(course.slug, world.request(course.offerId, 100, { email }))
  const person = await findPerson(world.db, 'practice', email)
  if (!person) throw new Error('nobody was stored')
  return { ...course, orderId, person }
}

describe('the link to set a password', () => {
  it('works once, and ends the older ones', async () => {
    const { person } = await bought('Once', 'once@post.example')
    const [older, newer] = [
      await makePasswordLink(world.services, person.id),
      await makePasswordLink(world.services, person.id),
    ]
    expect((await setPassword(tokenIn(newer))).status).toBe(200)
    for (const link of [newer, older]) {
      expect((await setPassword(tokenIn(link))).status).toBe(410)
      expect(await readBuyerLink(world.services, tokenIn(link))).toBeNull()
    }
    const signedIn = await world.call('POST', '/api/shop/sign-in', { email: 'once@post.example', password: PASSWORD })
    expect(signedIn.status).toBe(200)
  })

  it('ends after 24 hours', async () => {
    const { person } = await bought('Late', 'late@post.example')
    const link = await makePasswordLink(world.services, person.id)
    world.clock.offsetMs = 24 * 3_600_000 + 1000
    expect((await setPassword(tokenIn(link))).status).toBe(410)
    world.clock.offsetMs = 0
    expect((await setPassword(tokenIn(link), 'short')).status).toBe(422)
    expect((await setPassword(tokenIn(link))).status).toBe(200)
  })

  it('is kept only as a hash, and is sent again on request; an unknown address gets the same answer', async () => {
    const { person } = await bought('Again', 'again@post.example')
    const link = await makePasswordLink(world.services, person.id)
    const [row] = await world.db.select().from(passwordLinks).where(eq(passwordLinks.personId, person.id))
    expect(row?.tokenHash).toBe(hashToken(tokenIn(link)))
    const before = world.queue.length
    const known = await world.call('POST', '/api/shop/password/resend', { email: 'again@post.example' })
    const unknown = await world.call('POST', '/api/shop/password/resend', { email: 'nobody@post.example' })
    expect([known.status, unknown.status]).toEqual([200, 200])
    expect(world.queue.length).toBe(before + 1)
  })
})

describe('who may enter', () => {
  const never = { endedAt: null, suspendedFrom: null, membership: null }
  const grant = { id: 'g', ...never, opens: '2027-02-01', closes: '2027-03-01' } as never
  it.each([
    ['2027-01-31', 'opens-later'],
    ['2027-02-01', 'open'],
    ['2027-02-28', 'open'],
    ['2027-03-01', 'closed'],
  ])('on %s it is %s', (day, state) => {
    expect(accessDecisionOn(day, [grant]).state).toBe(state)
  })

  it('the browser that bought, and the buyer; no one else, and not in the other mode', async () => {
    const { courseId, person } = await bought('Doors', 'doors@post.example')
    const stranger = { mode: 'practice', person: null, browserHash: null } as const
    const states = await Promise.all(
      [
        stranger,
        { ...stranger, browserHash: hashToken('browser') },
        { ...stranger, browserHash: hashToken('another') },
        { ...stranger, person },
        { ...stranger, mode: 'live' as const, browserHash: hashToken('browser') },
      ].map(async (visitor) => (await checkAccess(world.services, courseId, visitor)).state),
    )
    expect(states).toEqual(['no-grant', 'open', 'no-grant', 'open', 'no-grant'])
  })

  it('given by hand with a note, and taken back once', async () => {
    const { courseId } = await world.sell(100, 'Given')
    const { id } = await addPerson(world.services, 'practice', 'Gift', 'gift@post.example')
    await giveAccess(world.services, id, { courseIds: [courseId], note: 'won it at the fair' })
    await expect(giveAccess(world.services, id, { courseIds: [courseId], note: 'again' })).rejects.toMatchObject({
      code: 'has-it',
    })
    const [held] = await listGrants(world.services, { personId: id })
    expect(held).toMatchObject({ note: 'won it at the fair', orderId: null, endedAt: null })
    await takeBack(world.services, 'practice', held?.id as string, 'a mistake')
    await expect(takeBack(world.services, 'practice', held?.id as string, 'twice')).rejects.toMatchObject({
      code: 'ended',
    })
    const { journal } = await openPerson(world.services, 'practice', id)
    expect(journal.map(({ what }) => what)).toEqual(['course-given', 'message-queued', 'course-taken-back'])
  })
})

describe('lists', () => {
  it('never mix the modes, search, and go on page by page', async () => {
    const { offerId, slug } = await world.sell(null, 'Many')
    for (let n = 0; n < 45; n++)
      await world.buy(slug, world.request(offerId, 0, { email: `many${n}@post.example`, name: `Many ${n}` }), `b${n}`)
    await world.buy(slug, world.request(offerId, 0, { email: 'live@post.example' }), 'live', 'live')
    const first = await listOrders(world.services, 'practice', { search: 'many', state: 'paid' })
    const second = await listOrders(world.services, 'practice', {
      search: 'many',
      state: 'paid',
      before: String(first.next),
    })
    expect([first.orders.length, second.orders.length, second.next]).toEqual([40, 5, null])
    expect(new Set([...first.orders, ...second.orders].map(({ number }) => number)).size).toBe(45)
    expect((await listOrders(world.services, 'live', { search: '', state: 'all' })).orders).toMatchObject([
      { email: 'live@post.example' },
    ])
    const page = await listPeople(world.services, 'practice', { search: 'many' })
    const rest = await listPeople(world.services, 'practice', { search: 'many', after: page.next as string })
    expect(new Set([...page.people, ...rest.people].map(({ id }) => id)).size).toBe(45)
    expect(page.people[0]).toMatchObject({ orders: 1, courses: 1 })
    expect((await listOrders(world.services, 'practice', { search: '100%_', state: 'all' })).orders).toEqual([])
  })

  it('are those of practice where no mode was chosen', async () => {
    const list = async (cookie: string) => (await world.call('GET', '/api/people', undefined, { cookie })).text()
    const creator = `acorn_studio=${world.creatorToken}`
    const practice = await list(`${creator}; acorn_mode=practice`)
    expect(await list(creator)).toBe(practice)
    expect(await list(`${creator}; acorn_mode=anything`)).toBe(practice)
    expect(await list(`${creator}; acorn_mode=live`)).not.toBe(practice)
  })

  it('an order of one mode is not opened in the other', async () => {
    const { orderId } = await bought('Modes', 'modes@post.example')
    expect((await openOrder(world.services, 'practice', orderId)).grants).toHaveLength(1)
    await expect(openOrder(world.services, 'live', orderId)).rejects.toMatchObject({ status: 404 })
  })
})

describe('messages', () => {
  it('the receipt says what was paid; a new buyer gets a password link, a known one does not', async () => {
    const emails: (Email & { to: string })[] = []
    const post = async (email: Email & { to: string }) => void emails.push(email)
    const { person, orderId } = await bought('Letters', 'letters@post.example')
    const { messages: sent } = await openOrder(world.services, 'practice', orderId)
    const message = sent.find(({ kind }) => kind === 'receipt')
    await sendMessage(world.services, message?.id as string, post)
    await sendMessage(world.services, message?.id as string, post)
    expect(emails).toHaveLength(1)
    expect(emails[0]).toMatchObject({ to: 'letters@post.example', subject: expect.stringContaining('Letters') })
    for (const body of [emails[0]?.text, emails[0]?.html]) {
      expect(body).toContain('€1.00')
      expect(body).toContain('card ending 4821')
      expect(body).toContain('/password/')
    }
    await world.db.update(people).set({ passwordHash: 'x' }).where(eq(people.id, person.id))
    const more = await bought('More letters', 'letters@post.example')
    const [second] = (await openOrder(world.services, 'practice', more.orderId)).messages
    await sendMessage(world.services, second?.id as string, post)
    expect(emails[1]?.text).not.toContain('/password/')
  })

  it('one that cannot be sent says why, and is sent at the next try', async () => {
    const { orderId } = await bought('Bounced', 'bounced@post.example')
    const receipt = async () =>
      (await openOrder(world.services, 'practice', orderId)).messages.filter(({ kind }) => kind === 'receipt')
    const id = (await receipt())[0]?.id as string
    await expect(sendMessage(world.services, id, () => Promise.reject(new Error('mailbox full')))).rejects.toThrow(
      'mailbox full',
    )
    expect(await receipt()).toMatchObject([{ state: 'failed', error: 'mailbox full' }])
    expect(await world.journalOf(orderId)).toContain('message-failed')
    await sendMessage(world.services, id, async () => {})
    expect(await receipt()).toMatchObject([{ state: 'sent', error: null }])
  })

  it('names that hold markup stay text', async () => {
    const { orderId } = await bought('Markup', 'markup@post.example')
    const order = await world.orderOf(orderId)
    const email = composeReceipt(await getSchool(world.db), 'Ada', {
      number: 1,
      bought: [
        {
          course: '<b>C</b>',
          offer: 'O',
          opens: [{ title: 'C', link: 'http://x/', later: null }],
          isBundle: false,
          membership: null,
          closes: '2028-01-31',
          opensLater: null,
          hasEnded: false,
          isPaidTwice: false,
        },
      ],
      quote: order?.quote as never,
      things: [{ course: '<b>C</b>', offer: 'O' }],
      amounts: { rows: [], taxMode: 'inclusive', taxes: [{ rate: 2000, tax: 17 }], paid: 100 },
      codesLater: [],
      laterEach: [],
      method: null,
      receiptLink: 'http://x/order',
      passwordLink: null,
    })
    expect(email.text).toContain('It stays open until 31 January 2028.')
    expect(email.html).toContain('&lt;b&gt;C&lt;/b&gt;')
    expect(email.text).toContain('Hello Ada,')
  })

  it('a name that holds a link or an address is not repeated in a mail', () => {
    for (const name of [
      'Win at www.prize.example',
      'https://a.example',
      'call a@b.example',
      '<i>x</i>',
      'now.com',
      'a\nb',
    ]) {
      expect(greeting(name)).toEqual({ text: 'Hello,' })
    }
    for (const name of ['Ada', 'Dr. Ada O’Neill-Öz', 'J. R. R.', '李雷']) {
      expect(greeting(name)).toEqual({ text: `Hello ${name},` })
    }
  })
})

it('somebody is added while others give them another address: each time there is somebody', async () => {
  const address = 'moves@post.example'
  const away = async (n: number) => {
    const person = await findPerson(world.db, 'practice', address)
    if (!person) return
    const correction = { name: 'Moves', email: `moved${n}@post.example`, postalAddress: '', note: 'again' }
    await correctPerson(world.services, 'practice', person.id, correction)
  }
  const added = await Promise.all(
    Array.from({ length: 60 }, async (_, n) => {
      if (n % 2 === 0) return addPerson(world.services, 'practice', 'Moves', address)
      await away(n).catch(() => {})
      return null
    }),
  )
  expect(added.filter((person) => person !== null && person.id.length === 36)).toHaveLength(30)
})
