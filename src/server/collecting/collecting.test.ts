import { and, asc, eq, isNull } from 'drizzle-orm'
import { describe, expect, it } from 'vitest'
import { addDays } from '../../core/calendar/day.ts'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { readRehearsal } from '../../core/collecting/read.ts'
import { rehearse } from '../../core/collecting/rehearse.ts'
import type { DraftTerms, OfferContent } from '../../core/content/offer.ts'
import { documentOf } from '../../core/quote/stored.ts'
import { type Agreed, agree as agreeIn, entryOf, work } from '../../testing/overTime.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { MONTHLY, THREE_PARTS, WHILE_PAYING } from '../../testing/terms.ts'
import { readAgreement } from '../agreements/agreements.ts'
import { agreements, attempts, grants, messages, payments } from '../db/schema/index.ts'
import { lookUpUntilSettled } from '../lookup/lookup.ts'
import { sendMessage } from '../messages/send.ts'
import { schoolDay } from '../school/service.ts'
import { cancelAgreement, moveDue, stopRetrying } from './actions.ts'
import { collectAgreement, collectingDay } from './collect.ts'
import { changeMethod, checkManualPayment, payManually } from './manualPayment.ts'
import { makePayLink, readPayLink } from './payLinks.ts'

const DAY = 86_400_000
const _month = { count: 1, unit: 'month' } as const
const forGood = { from: null, lasts: 'forever', graceDays: 2 } as const

const world = ownWorld()

const agree = (terms: DraftTerms, card = 'pays', access: OfferContent['access'] = forGood) =>
  agreeIn(world, terms, { card, access })

/** Moves on to noon of a day and lets the worker do what is due, as often as there is something. */
async function on(day: string) {
  const today = await dayOf(0)
  world.clock.offsetMs = (Date.parse(day) - Date.parse(today)) * 1 + noonOffset()
  await work(world)
}
const noonOffset = () => {
  const now = world.services.now()
  return 11 * 3_600_000 - (now.getUTCHours() * 3_600_000 + now.getUTCMinutes() * 60_000)
}
async function dayOf(offsetMs: number) {
  world.clock.offsetMs = offsetMs
  return schoolDay(world.services)
}
const rowOf = async (id: string) => {
  const [row] = await world.db.select().from(agreements).where(eq(agreements.id, id))
  if (!row) throw new Error('no agreement')
  return row
}
const paid = async (orderId: string) => {
  const rows = await world.db
    .select()
    .from(payments)
    .where(and(eq(payments.orderId, orderId), eq(payments.state, 'collected')))
    .orderBy(asc(payments.n))
  return rows.map(({ n }) => n)
}
const taken = (orderId: string) =>
  world.db
    .select()
    .from(attempts)
    .where(and(eq(attempts.orderId, orderId), eq(attempts.state, 'collected')))
const entry = (plan: Agreed) => entryOf(world, plan)
const after = (day: string, months: number) => {
  const [year, m, d] = day.split('-').map(Number) as [number, number, number]
  const last = new Date(Date.UTC(year, m - 1 + months + 1, 0)).getUTCDate()
  return new Date(Date.UTC(year, m - 1 + months, Math.min(d, last))).toISOString().slice(0, 10)
}

/** A request of a page for the second payment. */
const second = () => ({ from: 2, to: 2 })

describe('collecting by itself', () => {
  it('takes each payment on its day, once, and completes', async () => {
    const plan = await agree(THREE_PARTS)
    const start = plan.order.quote.purchaseDay
    await on(addDays(after(start, 1), -1))
    expect(await paid(plan.orderId)).toEqual([1])
    await on(after(start, 1))
    await on(after(start, 1))
    expect(await paid(plan.orderId)).toEqual([1, 2])
    await on(after(start, 2))
    expect(await paid(plan.orderId)).toEqual([1, 2, 3])
    expect(await rowOf(plan.id)).toMatchObject({ state: 'completed', nextTry: null })
    expect((await taken(plan.orderId)).map(({ amount }) => amount)).toEqual([4300, 4300, 4300])
    expect(await world.journalOf(plan.orderId)).toContain('agreement-completed')
  })

  it('waits for six in the morning by the school’s clock', () => {
    const vienna = { timeZone: 'Europe/Vienna' }
    expect(collectingDay(vienna, new Date('2027-03-28T03:59:00Z'))).toBe('2027-03-27')
    expect(collectingDay(vienna, new Date('2027-03-28T04:00:00Z'))).toBe('2027-03-28')
    expect(collectingDay(vienna, new Date('2027-01-15T04:59:00Z'))).toBe('2027-01-14')
    expect(collectingDay(vienna, new Date('2027-01-15T05:00:00Z'))).toBe('2027-01-15')
  })

  it('catches up after standing still, without trying twice on one day', async () => {
    const plan = await agree(THREE_PARTS, 'pays-once')
    const start = plan.order.quote.purchaseDay
    const late = addDays(after(start, 1), 6)
    await on(late)
    expect(await rowOf(plan.id)).toMatchObject({ tries: 1, firstTried: late, nextTry: addDays(late, 1) })
    // Several of its further days pass with nobody working, too: they follow one by one.
    const again = addDays(late, 20)
    for (let days = 0; days < 4; days++) {
      await on(addDays(again, days))
      await on(addDays(again, days))
    }
    const tried = (await world.attemptsOf(plan.orderId)).filter(({ state }) => state === 'declined')
    expect(tried.map(({ day }) => day)).toEqual([late, again, addDays(again, 1), addDays(again, 2)])
    expect(await rowOf(plan.id)).toMatchObject({ state: 'stopped', tries: 4 })
    const well = await agree(THREE_PARTS)
    await on(after(well.order.quote.purchaseDay, 3))
    expect(await paid(well.orderId)).toEqual([1, 2, 3])
  })

  it('two workers at the same moment charge once', async () => {
    const plan = await agree(THREE_PARTS)
    await on(addDays(plan.order.quote.purchaseDay, 1))
    world.clock.offsetMs += 31 * DAY
    await Promise.all([1, 2, 3, 4].map(() => collectAgreement(world.services, plan.id)))
    expect(await taken(plan.orderId)).toHaveLength(2)
    const books = [...world.standins.books.payments.values()].filter(({ reference }) =>
      reference.endsWith(`: ${plan.title}`),
    )
    expect(books.filter(({ state }) => state === 'captured')).toHaveLength(2)
  })

  it('a gateway that charges and does not answer is looked up, and nothing else is tried meanwhile', async () => {
    const plan = await agree(THREE_PARTS)
    Object.assign(world.standins.world, { answersLost: true, eventsLost: true })
    await on(after(plan.order.quote.purchaseDay, 1))
    await collectAgreement(world.services, plan.id)
    const open = await world.db
      .select()
      .from(attempts)
      .where(and(eq(attempts.agreementId, plan.id), isNull(attempts.settledAt)))
    expect(open).toHaveLength(1)
    world.standins.world.answersLost = false
    await lookUpUntilSettled(world.services, open[0]?.id as string)
    expect(await paid(plan.orderId)).toEqual([1, 2])
    expect(await taken(plan.orderId)).toHaveLength(2)
  })

  it('goes on listing payments of what runs until cancelled', async () => {
    const plan = await agree(MONTHLY, 'pays', WHILE_PAYING)
    for (let months = 1; months <= 14; months++) await on(after(plan.order.quote.purchaseDay, months))
    expect(await paid(plan.orderId)).toEqual(Array.from({ length: 15 }, (_, index) => index + 1))
    const due = await world.db
      .select()
      .from(payments)
      .where(and(eq(payments.orderId, plan.orderId), eq(payments.state, 'due')))
    expect(due.length).toBeGreaterThanOrEqual(12)
    expect(await entry(plan)).toMatchObject({ state: 'open' })
  })
})

describe('a payment that is declined', () => {
  it('is tried again as the policy says, then stops; the course shuts past its grace, and paying opens it', async () => {
    const plan = await agree(THREE_PARTS, 'pays-once')
    const due = after(plan.order.quote.purchaseDay, 1)
    await on(due)
    expect(await rowOf(plan.id)).toMatchObject({ state: 'active', tries: 1, nextTry: addDays(due, 1) })
    expect(await entry(plan)).toMatchObject({ state: 'open' })
    await on(addDays(due, 1))
    expect(await entry(plan)).toMatchObject({ state: 'open' })
    await on(addDays(due, 2))
    expect(await entry(plan)).toMatchObject({ state: 'closed', closed: addDays(due, 2), owes: plan.id })
    await on(addDays(due, 3))
    await on(addDays(due, 7))
    expect(await rowOf(plan.id)).toMatchObject({ state: 'stopped', tries: 4, nextTry: null })
    const token = world.standins.tokenOf('pays')
    const byHand = { connectionId: world.connectionId, token, agreed: 4300, ...second() }
    expect(await payManually(world.services, plan.id, byHand)).toEqual({ state: 'paid' })
    expect(await rowOf(plan.id)).toMatchObject({ state: 'active', tries: 0, method: 'card ending 4821' })
    expect(await entry(plan)).toMatchObject({ state: 'open' })
    expect(await world.journalOf(plan.orderId)).toContain('agreement-goes-on')
    // The new card is charged from then on.
    await on(after(plan.order.quote.purchaseDay, 2))
    expect(await rowOf(plan.id)).toMatchObject({ state: 'completed' })
    expect(await paid(plan.orderId)).toEqual([1, 2, 3])
  })

  it('follows a new policy at once, and refuses one that makes no sense', async () => {
    const cookie = `acorn_studio=${world.creatorToken}`
    const put = (days: unknown, mayStop = false) =>
      world.call('PUT', '/api/school/retries', { days, mayStop }, { cookie })
    for (const wrong of [[0], [3, 3], [7, 1], [61], [1.5], ['a'], [1, 2, 3, 4, 5, 6, 7, 8, 9]]) {
      expect((await put(wrong)).status).toBe(422)
    }
    const plan = await agree(THREE_PARTS, 'pays-once')
    const due = after(plan.order.quote.purchaseDay, 1)
    await on(due)
    expect((await put([5])).status).toBe(200)
    expect(await rowOf(plan.id)).toMatchObject({ nextTry: addDays(due, 5) })
    // What would stop by it is said before.
    const refused = await put([])
    expect(refused.status).toBe(409)
    expect(await refused.json()).toMatchObject({
      code: 'would-stop',
      title: expect.stringContaining('reached this number of tries'),
    })
    expect(await rowOf(plan.id)).toMatchObject({ state: 'active' })
    expect((await put([], true)).status).toBe(200)
    expect(await rowOf(plan.id)).toMatchObject({ state: 'stopped', nextTry: null })
    expect(await world.journalOf(plan.orderId)).toContain('agreement-stopped')
    const notified = await world.db.select().from(messages).where(eq(messages.orderId, plan.orderId))
    expect(notified.map(({ kind }) => kind)).toContain('stopped')
    expect((await put([1, 3, 7])).status).toBe(200)
  })

  it('one whose next try was stored by an older policy is not looked at again before its day', async () => {
    const plan = await agree(THREE_PARTS)
    const { nextTry } = await rowOf(plan.id)
    const today = await schoolDay(world.services)
    await world.db.update(agreements).set({ nextTry: today }).where(eq(agreements.id, plan.id))
    await work(world)
    expect(await rowOf(plan.id)).toMatchObject({ nextTry, state: 'active' })
    expect(await paid(plan.orderId)).toEqual([1])
  })

  it('is told with the day on which access is paused: ahead while it is open, behind once it is not', async () => {
    const day = (on: string) => formatDay(on, 'en')
    const textsOf = async (orderId: string, kind: 'declined' | 'stopped') => {
      const notified = await world.db
        .select()
        .from(messages)
        .where(and(eq(messages.orderId, orderId), eq(messages.kind, kind)))
      const texts: string[] = []
      for (const { id } of notified) await sendMessage(world.services, id, async ({ text }) => void texts.push(text))
      return texts.join('')
    }
    const plan = await agree(THREE_PARTS, 'pays-once')
    const due = after(plan.order.quote.purchaseDay, 1)
    const suspendedFrom = addDays(due, 2)
    await on(due)
    expect(await entry(plan)).toMatchObject({ state: 'open' })
    expect(await textsOf(plan.orderId, 'declined')).toContain(`stays open until ${day(suspendedFrom)}`)
    for (const later of [1, 3, 7]) await on(addDays(due, later))
    expect(await entry(plan)).toMatchObject({ state: 'closed', closed: suspendedFrom })
    expect(await textsOf(plan.orderId, 'stopped')).toContain(`Access has been paused since ${day(suspendedFrom)}.`)

    // With more days of grace than there are tries, the last one is refused while the course is open.
    world.clock.offsetMs = 0
    const slow = await agree(THREE_PARTS, 'pays-once', { from: null, lasts: 'forever', graceDays: 10 })
    for (const later of [0, 1, 3, 7]) await on(addDays(due, later))
    expect(await rowOf(slow.id)).toMatchObject({ state: 'stopped' })
    expect(await entry(slow)).toMatchObject({ state: 'open' })
    expect(await textsOf(slow.orderId, 'stopped')).toContain(`Access is paused from ${day(addDays(due, 10))} on.`)
  })

  it('tells the buyer, with a link that pays and ends', async () => {
    const plan = await agree(THREE_PARTS, 'pays-once')
    await on(after(plan.order.quote.purchaseDay, 1))
    const [message] = await world.db
      .select()
      .from(messages)
      .where(and(eq(messages.orderId, plan.orderId), eq(messages.kind, 'declined')))
    const emails: { text: string }[] = []
    await sendMessage(world.services, message?.id as string, async (email) => void emails.push(email))
    expect(emails[0]?.text).toContain('failed: there was not enough money.')
    const token = /\/pay\/(\S+)/.exec(emails[0]?.text ?? '')?.[1] ?? ''
    expect(await readPayLink(world.services, token)).toBe(plan.id)
    const byHand = {
      connectionId: world.connectionId,
      token: world.standins.tokenOf('pays'),
      agreed: 4300,
      ...second(),
    }
    await payManually(world.services, plan.id, byHand)
    expect(await readPayLink(world.services, token)).toBe(null)
    const old = (await makePayLink(world.services, plan.id)).split('/').at(-1) ?? ''
    world.clock.offsetMs += 31 * DAY
    expect(await readPayLink(world.services, old)).toBe(null)
    expect(await readPayLink(world.services, 'made-up')).toBe(null)
  })

  it('is never said to be late once it came', async () => {
    const plan = await agree(THREE_PARTS, 'pays-once')
    await on(after(plan.order.quote.purchaseDay, 1))
    const byHand = {
      connectionId: world.connectionId,
      token: world.standins.tokenOf('pays'),
      agreed: 4300,
      ...second(),
    }
    await payManually(world.services, plan.id, byHand)
    const [message] = await world.db
      .select()
      .from(messages)
      .where(and(eq(messages.orderId, plan.orderId), eq(messages.kind, 'declined')))
    let sent = 0
    await sendMessage(world.services, message?.id as string, async () => void sent++)
    expect(sent).toBe(0)
    const [now] = await world.db
      .select()
      .from(messages)
      .where(eq(messages.id, message?.id as string))
    expect(now?.state).toBe('dropped')
  })

  it('ends a subscription for good; it can be bought again', async () => {
    const plan = await agree(MONTHLY, 'pays-once', forGood)
    const due = after(plan.order.quote.purchaseDay, 1)
    for (const days of [0, 1, 3, 7]) await on(addDays(due, days))
    expect(await rowOf(plan.id)).toMatchObject({ state: 'stopped' })
    await expect(
      payManually(world.services, plan.id, {
        connectionId: world.connectionId,
        token: world.standins.tokenOf('pays'),
        agreed: 1900,
        ...second(),
      }),
    ).rejects.toMatchObject({ code: 'nothing-due' })
    expect(await entry(plan)).toMatchObject({ state: 'closed' })
    const again = await world.buy(plan.slug, world.request(plan.offerId, 1900, { email: plan.email }), plan.email)
    expect(again.state).toBe('paid')
    expect(again.orderId).not.toBe(plan.orderId)
    expect(await entry(plan)).toMatchObject({ state: 'open' })
  })
})

describe('by hand', () => {
  it('pays only what the button said, never twice, and never what is not due', async () => {
    const plan = await agree(THREE_PARTS, 'pays-once')
    await on(after(plan.order.quote.purchaseDay, 1))
    const ask = (agreed: number) => ({
      connectionId: world.connectionId,
      token: world.standins.tokenOf('pays'),
      agreed,
      ...second(),
    })
    await expect(payManually(world.services, plan.id, ask(1))).rejects.toMatchObject({ code: 'price-changed' })
    const both = await Promise.allSettled([1, 2].map(() => payManually(world.services, plan.id, ask(4300))))
    expect(both.filter(({ status }) => status === 'fulfilled').length).toBeGreaterThanOrEqual(1)
    expect(await paid(plan.orderId)).toEqual([1, 2])
  })

  it('pays the next one early by the card that is kept, once, whoever presses twice', async () => {
    const plan = await agree(THREE_PARTS)
    const ask = { connectionId: null, token: '', agreed: 4300, ...second() }
    const twice = await Promise.all([1, 2].map(() => payManually(world.services, plan.id, { ...ask, ...second() })))
    expect(twice.map(({ state }) => state).filter((state) => state !== 'paid' && state !== 'checking')).toEqual([])
    expect(await payManually(world.services, plan.id, { ...ask, ...second() })).toEqual({ state: 'paid' })
    expect(await paid(plan.orderId)).toEqual([1, 2])
    expect(await rowOf(plan.id)).toMatchObject({ method: 'card ending 4821', state: 'active' })
    await on(after(plan.order.quote.purchaseDay, 1))
    expect(await paid(plan.orderId)).toEqual([1, 2])
  })

  it('is declined by a kept card without counting as a try; without one there is nothing to charge', async () => {
    const plan = await agree(THREE_PARTS, 'pays-once')
    const ask = { connectionId: null, token: '', agreed: 4300, ...second() }
    expect(await payManually(world.services, plan.id, ask)).toEqual({ state: 'declined', reason: 'not-enough-money' })
    expect(await rowOf(plan.id)).toMatchObject({ state: 'active', tries: 0 })
    expect(await paid(plan.orderId)).toEqual([1])
    await world.db.update(agreements).set({ savedMethod: null }).where(eq(agreements.id, plan.id))
    await expect(payManually(world.services, plan.id, { ...ask, ...second() })).rejects.toMatchObject({
      code: 'method-gone',
    })
    const open = await world.db.select().from(attempts).where(eq(attempts.agreementId, plan.id))
    expect(open.map(({ state }) => state)).toEqual(['declined'])
  })

  it('asked for again, while its answer is lost, is answered with what became of it', async () => {
    const plan = await agree(THREE_PARTS)
    const ask = { connectionId: world.connectionId, token: world.standins.tokenOf('pays'), agreed: 4300, ...second() }
    world.standins.world.answersLost = true
    expect(await payManually(world.services, plan.id, ask)).toEqual({ state: 'checking' })
    world.standins.world.answersLost = false
    expect(await checkManualPayment(world.services, plan.id)).toEqual({ state: 'paid' })
    expect(await payManually(world.services, plan.id, ask)).toEqual({ state: 'paid' })
    expect(await taken(plan.orderId)).toHaveLength(2)
  })

  it('pays the next one early; it is not charged again on its day', async () => {
    const plan = await agree(THREE_PARTS)
    const ask = { connectionId: world.connectionId, token: world.standins.tokenOf('pays'), agreed: 4300, ...second() }
    expect(await payManually(world.services, plan.id, ask)).toEqual({ state: 'paid' })
    await on(after(plan.order.quote.purchaseDay, 1))
    expect(await paid(plan.orderId)).toEqual([1, 2])
    await on(after(plan.order.quote.purchaseDay, 2))
    expect(await rowOf(plan.id)).toMatchObject({ state: 'completed' })
  })

  it('gives another card without charging it', async () => {
    const plan = await agree(THREE_PARTS, 'pays-once')
    const before = world.standins.books.payments.size
    await changeMethod(world.services, plan.id, {
      connectionId: world.connectionId,
      token: world.standins.tokenOf('pays'),
    })
    expect(world.standins.books.payments.size).toBe(before)
    await on(after(plan.order.quote.purchaseDay, 1))
    expect(await paid(plan.orderId)).toEqual([1, 2])
  })

  it('cancels at the end of the period or now, once', async () => {
    const kind = await agree(MONTHLY, 'pays', WHILE_PAYING)
    const start = kind.order.quote.purchaseDay
    await on(after(start, 1))
    await cancelAgreement(world.services, kind.id, 'period-end', 'buyer')
    await expect(cancelAgreement(world.services, kind.id, 'now', 'buyer')).rejects.toMatchObject({
      code: 'not-cancellable',
    })
    const closes = addDays(after(start, 2), 3)
    await on(addDays(closes, -1))
    expect(await entry(kind)).toMatchObject({ state: 'open' })
    await on(closes)
    expect(await entry(kind)).toMatchObject({ state: 'closed', closed: closes })
    expect(await paid(kind.orderId)).toEqual([1, 2])
    const hard = await agree(MONTHLY, 'pays', WHILE_PAYING)
    await cancelAgreement(world.services, hard.id, 'now', 'creator')
    expect(await entry(hard)).toMatchObject({ state: 'closed' })
    const plan = await agree(THREE_PARTS)
    await expect(cancelAgreement(world.services, plan.id, 'now', 'buyer')).rejects.toMatchObject({
      code: 'not-cancellable',
    })
  })

  it('schedules nothing more of what is cancelled', async () => {
    const plan = await agree(MONTHLY, 'pays', WHILE_PAYING)
    await cancelAgreement(world.services, plan.id, 'period-end', 'creator')
    const due = and(eq(payments.lineId, plan.lineId), eq(payments.state, 'due'))
    expect(await world.db.$count(payments, due)).toBe(0)
    const { agreement } = await readAgreement(world.db, plan.id)
    const on = await schoolDay(world.services)
    expect(agreement).toMatchObject({ state: 'cancelled', cancelled: { on, when: 'period-end' } })
  })

  it('moves a due day with its reason, and stops retrying', async () => {
    const plan = await agree(THREE_PARTS)
    const due = after(plan.order.quote.purchaseDay, 1)
    await expect(moveDue(world.services, plan.id, '2020-01-01', 'asked')).rejects.toMatchObject({
      errors: [{ at: '/day' }],
    })
    await expect(moveDue(world.services, plan.id, addDays(due, 40), 'asked')).rejects.toMatchObject({
      errors: [{ at: '/day' }],
    })
    // Two payments on one day would be one too many for it.
    const next = after(plan.order.quote.purchaseDay, 2)
    await expect(moveDue(world.services, plan.id, next, 'asked')).rejects.toMatchObject({ errors: [{ at: '/day' }] })
    await moveDue(world.services, plan.id, addDays(next, -1), 'asked')
    await moveDue(world.services, plan.id, addDays(due, 5), 'asked')
    await on(addDays(due, 4))
    expect(await paid(plan.orderId)).toEqual([1])
    await on(addDays(due, 5))
    expect(await paid(plan.orderId)).toEqual([1, 2])
    await stopRetrying(world.services, plan.id, 'moved away')
    await on(after(plan.order.quote.purchaseDay, 2))
    expect(await paid(plan.orderId)).toEqual([1, 2])
    expect(await rowOf(plan.id)).toMatchObject({ state: 'stopped' })
  })

  it('money that was under way when it was cancelled is booked, and cancels stay', async () => {
    const plan = await agree(MONTHLY, 'pays', WHILE_PAYING)
    Object.assign(world.standins.world, { answersLost: true, eventsLost: true })
    await on(after(plan.order.quote.purchaseDay, 1))
    world.standins.world.answersLost = false
    await cancelAgreement(world.services, plan.id, 'period-end', 'buyer')
    const [open] = await world.db
      .select()
      .from(attempts)
      .where(and(eq(attempts.agreementId, plan.id), isNull(attempts.settledAt)))
    await lookUpUntilSettled(world.services, open?.id as string)
    expect(await rowOf(plan.id)).toMatchObject({ state: 'cancelled', collected: 2 })
    expect(await paid(plan.orderId)).toEqual([1, 2])
  })
})

it('comes to what the core rehearses, day by day', async () => {
  const plan = await agree(THREE_PARTS, 'pays-once', forGood)
  const start = plan.order.quote.purchaseDay
  const until = addDays(start, 100)
  for (let day = addDays(start, 1); day <= until; day = addDays(day, 1)) {
    await on(day)
  }
  const rehearsed = rehearse(
    readRehearsal({
      quote: documentOf(plan.order.quoteInput),
      attempts: ['ok', 'declined', 'declined', 'declined', 'declined'],
      until,
    }),
  )
  const [line] = rehearsed.lines
  const row = await rowOf(plan.id)
  expect(row.state).toBe(line?.state)
  const sum = (await taken(plan.orderId)).reduce((all, { amount }) => all + amount, 0)
  expect(sum).toBe(line?.collected)
  const [grant] = await world.db.select().from(grants).where(eq(grants.orderId, plan.orderId))
  expect(grant?.suspendedFrom).toBe(line?.access[0]?.to)
})
