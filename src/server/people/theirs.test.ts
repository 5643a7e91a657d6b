import { and, eq } from 'drizzle-orm'
import { describe, expect, it } from 'vitest'
import { ownWorld } from '../../testing/ownWorld.ts'
import { MONTHLY, THREE_PARTS } from '../../testing/terms.ts'
import type { World } from '../../testing/world.ts'
import { giveAccess } from '../access/give.ts'
import { checkAccess, listGrants } from '../access/service.ts'
import { cancelAgreement, stopRetrying, writeOff } from '../collecting/actions.ts'
import { agreements, journal, messages, orders, people, sessions } from '../db/schema/index.ts'
import { sendMessage } from '../messages/send.ts'
import { readMessage, sendOnceMore } from '../messages/sent.ts'
import { receiptOf } from '../orders/receipt.ts'
import { receiptPdf } from '../orders/receiptPdf.ts'
import { setKeepYears } from '../school/service.ts'
import { openSession } from '../session/sessions.ts'
import { listOrders } from '../support/orders.ts'
import { erasePerson, forgetOldNames } from './erase.ts'
import { joinPeople } from './join.ts'
import { addPerson, correctPerson, findPerson, openPerson, sendPasswordLink } from './service.ts'
import { dataOf } from './theirData.ts'

const DAY = 86_400_000

const world = ownWorld()
let n = 0

async function bought(price: Parameters<World['sell']>[0], pay: number) {
  const email = `theirs${++n}@post.example`
  const course = await world.sell(price, `Theirs ${n}`)
  const { orderId } = await world.buy(
    course.slug,
    world.request(course.offerId, pay, { email, name: `Ada ${n}` }),
    email,
  )
  const person = await findPerson(world.db, 'practice', email)
  if (!person) throw new Error('nobody')
  return { ...course, orderId, person, email }
}
const sentOf = async (orderId: string, kind: string) => {
  const [message] = await world.db
    .select()
    .from(messages)
    .where(and(eq(messages.orderId, orderId), eq(messages.kind, kind as 'receipt')))
  return message?.id as string
}
/** Sends a message and gives what was posted. */
async function post(id: string) {
  const emails: { to: string; text: string; html: string }[] = []
  await sendMessage(world.services, id, async (email) => void emails.push(email))
  return emails[0] as (typeof emails)[number]
}

describe('a message that was sent', () => {
  it('is read as it was, with no secret in it, and sent again with new links, to a corrected email too', async () => {
    const { orderId, person, email } = await bought(4900, 4900)
    const id = await sentOf(orderId, 'receipt')
    const first = await post(id)
    const secret = /\/password\/([\w-]+)/.exec(first.text)?.[1] as string
    expect(secret.length).toBeGreaterThan(20)
    const shown = await readMessage(world.services, 'practice', id)
    expect(shown).toMatchObject({ to: email, subject: expect.stringContaining('Your receipt') })
    const stored = JSON.stringify(await world.db.select().from(messages).where(eq(messages.id, id)))
    for (const text of [shown.text, shown.html, stored]) expect(text).not.toContain(secret)
    expect(shown.text).toContain('a link that works for the buyer alone')
    expect(shown.html).not.toContain('one-time:')

    await sendOnceMore(world.services, 'practice', id, 'right@post.example')
    expect(await findPerson(world.db, 'practice', 'right@post.example')).toMatchObject({ id: person.id })
    const [again] = await world.db.select().from(messages).where(eq(messages.againOf, id))
    const second = await post(again?.id as string)
    expect(second.to).toBe('right@post.example')
    const renewed = /\/password\/([\w-]+)/.exec(second.text)?.[1]
    expect(renewed).toBeTruthy()
    expect(renewed).not.toBe(secret)
    expect(second.html).toContain(renewed)
    expect(second.text.replaceAll(/\/(password|order)\/[\w-]+/g, '')).toBe(
      first.text.replaceAll(/\/(password|order)\/[\w-]+/g, ''),
    )
  })

  it('has an order link that shows the order on any device, and its receipt as a PDF', async () => {
    const { orderId } = await bought(4900, 4900)
    const { text } = await post(await sentOf(orderId, 'receipt'))
    const path = /\/order\/[\w-]+/.exec(text)?.[0] as string
    expect((await fetch(world.origin + path)).status).toBe(200)
    const file = await fetch(`${world.origin}${path}/receipt.pdf`)
    expect(file.headers.get('content-type')).toBe('application/pdf')
    expect(
      Buffer.from(await file.arrayBuffer())
        .subarray(0, 5)
        .toString(),
    ).toBe('%PDF-')
    expect((await fetch(`${world.origin}/order/${'x'.repeat(40)}`)).status).toBe(410)
    expect((await fetch(`${world.origin}/thanks/${orderId}/receipt.pdf`)).status).toBe(404)
  })

  it('that cannot be sent for three days is given up, and can be sent again', async () => {
    const { orderId } = await bought(4900, 4900)
    const id = await sentOf(orderId, 'receipt')
    const refused = () => Promise.reject(new Error('no such mailbox'))
    await expect(sendMessage(world.services, id, refused)).rejects.toThrow('no such mailbox')
    world.clock.offsetMs = 3 * DAY
    await sendMessage(world.services, id, refused)
    const [message] = await world.db.select().from(messages).where(eq(messages.id, id))
    expect(message).toMatchObject({ state: 'failed', error: 'no such mailbox' })
  })
})

describe('a receipt', () => {
  it('holds every payment, what went back, and the address', async () => {
    const { orderId, person } = await bought(THREE_PARTS, 4300)
    await correctPerson(world.services, 'practice', person.id, {
      name: 'Zdzisława Łęcka',
      email: person.email,
      postalAddress: 'Gasse 4\n1070 Wien',
      note: 'wrote to us',
    })
    const data = await receiptOf(world.services, orderId)
    expect(data.buyer).toMatchObject({ postalAddress: 'Gasse 4\n1070 Wien' })
    expect(data.payments).toMatchObject([{ what: 'Payment 1 of 3', amount: 4300, tax: 717 }])
    expect((await receiptPdf(data)).length).toBeGreaterThan(3000)
  })
})

describe('two persons who are one', () => {
  it('are joined: orders, access, agreements and messages go over; the other cannot sign in', async () => {
    const one = await bought(4900, 4900)
    const other = await bought(MONTHLY, 1900)
    await openSession(world.services, { personId: other.person.id })
    await giveAccess(world.services, one.person.id, { courseIds: [other.courseId], note: 'helped' })
    await joinPeople(world.services, 'practice', one.person.id, other.person.id, 'two emails')
    const { orders: theirs, journal: events } = await openPerson(world.services, 'practice', one.person.id)
    expect(theirs.map(({ id }) => id).sort()).toEqual([one.orderId, other.orderId].sort())
    expect(events.at(-1)).toMatchObject({ what: 'person-joined', data: { email: other.email } })
    expect(await findPerson(world.db, 'practice', other.email)).toBeNull()
    expect(await world.db.$count(sessions, eq(sessions.personId, other.person.id))).toBe(0)
    const [agreed] = await world.db.select().from(agreements).where(eq(agreements.orderId, other.orderId))
    expect(agreed?.personId).toBe(one.person.id)
    // Found by who they are now.
    const { orders: found } = await listOrders(world.services, 'practice', { search: one.email, state: 'all' })
    expect(found.map(({ id }) => id)).toContain(other.orderId)
  })

  it('who were given the same course by hand hold it once; nobody is joined with themselves or across modes', async () => {
    const { courseId } = await world.sell(100, `Theirs ${++n}`)
    const [a, b] = await Promise.all(
      ['a', 'b'].map((who) => addPerson(world.services, 'practice', 'Twin', `${who}${n}@post.example`)),
    )
    for (const person of [a, b])
      await giveAccess(world.services, person?.id as string, { courseIds: [courseId], note: 'won' })
    await joinPeople(world.services, 'practice', a?.id as string, b?.id as string, 'twins')
    const held = await listGrants(world.services, { personId: a?.id as string })
    expect(held.filter(({ endedAt }) => endedAt === null)).toHaveLength(1)
    await expect(joinPeople(world.services, 'practice', a?.id as string, a?.id as string, 'x')).rejects.toMatchObject({
      errors: [{ at: '/other' }],
    })
    const other = await addPerson(world.services, 'live', 'Twin', `live${n}@post.example`)
    for (const mode of ['practice', 'live'] as const) {
      await expect(joinPeople(world.services, mode, a?.id as string, other.id, 'x')).rejects.toMatchObject({
        status: 404,
      })
    }
  })
})

describe('a buyer’s data', () => {
  it('comes as one document, with no key, token or hash', async () => {
    const { person, orderId } = await bought(MONTHLY, 1900)
    await post(await sentOf(orderId, 'receipt'))
    const data = await dataOf(world.services, 'practice', person.id)
    expect(data).toMatchObject({
      person: { email: person.email },
      orders: [{ state: 'paid', payments: [{ pay: 1900, state: 'collected' }, {}, {}, {}] }].map(({ state }) => ({
        state,
      })),
      agreements: [{ kind: 'subscription', state: 'active' }],
    })
    const text = JSON.stringify(data)
    for (const [attempt] of [await world.attemptsOf(orderId)]) expect(text).not.toContain(attempt?.key)
    expect(text).not.toMatch(/passwordHash|browserHash|tokenHash|"kept"/)
  })

  it('is not deleted while a subscription goes on, or a plan still owes', async () => {
    const member = await bought(MONTHLY, 1900)
    const erase = (id: string) => erasePerson(world.services, 'practice', id, 'asked for it')
    await expect(erase(member.person.id)).rejects.toMatchObject({ code: 'goes-on' })
    const plan = await bought(THREE_PARTS, 4300)
    await expect(erase(plan.person.id)).rejects.toMatchObject({ code: 'owes' })
    const [agreed] = await world.db.select().from(agreements).where(eq(agreements.orderId, plan.orderId))
    await stopRetrying(world.services, agreed?.id as string, 'moved abroad')
    await expect(erase(plan.person.id)).rejects.toMatchObject({ code: 'owes' })
    await writeOff(world.services, agreed?.id as string, 'moved abroad')
    await erase(plan.person.id)
  })

  it('is deleted but for what the books keep, and the name after the years that are set', async () => {
    const { person, orderId, courseId, email } = await bought(MONTHLY, 1900)
    await post(await sentOf(orderId, 'receipt'))
    await openSession(world.services, { personId: person.id })
    await correctPerson(world.services, 'practice', person.id, {
      name: 'Ada Secret',
      email,
      postalAddress: 'Hidden Lane 1',
      note: 'x',
    })
    const [agreed] = await world.db.select().from(agreements).where(eq(agreements.orderId, orderId))
    await cancelAgreement(world.services, agreed?.id as string, 'now', 'creator')
    await erasePerson(world.services, 'practice', person.id, 'asked for it')
    // Nobody can charge it any more.
    expect(agreed?.savedMethod).not.toBeNull()
    const [left] = await world.db.select().from(agreements).where(eq(agreements.orderId, orderId))
    expect(left?.savedMethod).toBeNull()
    const visitor = { mode: 'practice' as const, person, browserHash: null }
    expect((await checkAccess(world.services, courseId, visitor)).state).toBe('no-grant')
    expect(await findPerson(world.db, 'practice', email)).toBeNull()
    expect(await world.db.$count(sessions, eq(sessions.personId, person.id))).toBe(0)
    const remaining = JSON.stringify([
      await world.db.select().from(people).where(eq(people.id, person.id)),
      await world.db.select().from(messages).where(eq(messages.personId, person.id)),
      await world.db.select().from(journal).where(eq(journal.personId, person.id)),
    ])
    for (const gone of [email, 'Ada Secret']) expect(remaining).not.toContain(gone)
    // The order stays, with its sum and the name on its receipt.
    expect(await receiptOf(world.services, orderId)).toMatchObject({
      buyer: { name: person.name },
      payments: [{ amount: 1900 }],
    })
    await setKeepYears(world.services, 1)
    expect(await forgetOldNames(world.services)).toBe(0)
    world.clock.offsetMs = 400 * DAY
    expect(await forgetOldNames(world.services)).toBeGreaterThan(0)
    world.clock.offsetMs = 0
    const [order] = await world.db.select().from(orders).where(eq(orders.id, orderId))
    expect(order).toMatchObject({ buyerName: null, state: 'paid' })
    await expect(erasePerson(world.services, 'practice', person.id, 'again')).rejects.toMatchObject({ status: 404 })
    await expect(sendPasswordLink(world.services, 'practice', person.id)).rejects.toMatchObject({ code: 'erased' })
  })
})
