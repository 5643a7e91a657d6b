import { and, asc, eq } from 'drizzle-orm'
import { describe, expect, it } from 'vitest'
import { addDays, after, daysBetween } from '../../core/calendar/day.ts'
import type { DraftTerms } from '../../core/content/offer.ts'
import { type Agreed, advance as advanceIn, agree as agreeIn, entryOf } from '../../testing/overTime.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { MONTHLY, WHILE_PAYING } from '../../testing/terms.ts'
import { shopper } from '../../testing/world.ts'
import { takeBack } from '../access/close.ts'
import { listGrants } from '../access/service.ts'
import { readAgreement } from '../agreements/agreements.ts'
import { placeOrder } from '../checkout/place.ts'
import { agreements, messages, orderLines, payments, people, school } from '../db/schema/index.ts'
import { sendMessage } from '../messages/send.ts'
import { checkoutView } from '../pages/checkout.ts'
import { refundLine } from '../refunds/service.ts'
import { getSchool, schoolDay } from '../school/service.ts'
import { needsAttention } from '../support/attention.ts'
import { openOrder } from '../support/orders.ts'
import { cancelAgreement, moveDue, sendPayLink, takeCancelBack, writeOff } from './actions.ts'
import { announceAll } from './announce.ts'
import { manualPaymentOn, payManually, restOn } from './manualPayment.ts'
import { planView } from './view.ts'

const DAY = 86_400_000
const month = { count: 1, unit: 'month' } as const
const yearly: DraftTerms = { ...MONTHLY, amount: 19_000, every: { count: 1, unit: 'year' } }
const parts: DraftTerms = {
  kind: 'installments',
  count: 4,
  every: month,
  amount: 4300,
  total: null,
  deposit: null,
  trial: null,
}

const world = ownWorld()
let buyers = 0

const agree = (terms: DraftTerms, card = 'pays') =>
  agreeIn(world, terms, { card, ...(terms.kind === 'subscription' ? { access: WHILE_PAYING } : {}) })

const advance = (days: number) => advanceIn(world, days)

const rowOf = async (id: string) => (await world.db.select().from(agreements).where(eq(agreements.id, id)))[0]
const kindsTo = async (orderId: string) =>
  (await world.db.select().from(messages).where(eq(messages.orderId, orderId)).orderBy(asc(messages.createdAt)))
    .map(({ kind }) => kind)
    .filter((kind) => !kind.startsWith('creator-') && kind !== 'receipt')
const isOpen = async (plan: Agreed) => (await entryOf(world, plan)).state
const takenFor = async (orderId: string) =>
  (await world.attemptsOf(orderId)).filter(({ state }) => state === 'collected').map(({ amount }) => amount)
/** The text of the last message of a kind, as it is sent now. */
async function emailOf(orderId: string, kind: string) {
  const rows = await world.db
    .select()
    .from(messages)
    .where(eq(messages.orderId, orderId))
    .orderBy(asc(messages.createdAt))
  const message = rows.filter((row) => row.kind === kind).at(-1)
  let email = ''
  await sendMessage(world.services, message?.id as string, async ({ subject, text }) => {
    email = `${subject}\n${text}`
  })
  return email
}

describe('a course taken back', () => {
  it('of a subscription is never charged again; the buyer is told that it is cancelled', async () => {
    const plan = await agree(MONTHLY)
    const [grant] = await listGrants(world.services, { orderId: plan.orderId })
    await takeBack(world.services, 'practice', grant?.id as string, 'moved to another class')
    expect(await rowOf(plan.id)).toMatchObject({ state: 'cancelled', cancelledWhen: 'now', nextTry: null })
    expect(await isOpen(plan)).toBe('no-grant')
    expect(await kindsTo(plan.orderId)).toEqual(['cancelled'])
    const email = await emailOf(plan.orderId, 'cancelled')
    expect(email).toContain('no further payments are charged')
    expect(email).not.toContain('stays open')
    for (let months = 0; months < 3; months++) await advance(31)
    expect(await takenFor(plan.orderId)).toEqual([1900])
  })

  it('of a plan lets go what is owed', async () => {
    const plan = await agree(parts)
    const [grant] = await listGrants(world.services, { orderId: plan.orderId })
    await takeBack(world.services, 'practice', grant?.id as string, 'by agreement')
    await advance(40)
    expect(await takenFor(plan.orderId)).toEqual([4300])
    const states = await world.db.select().from(payments).where(eq(payments.orderId, plan.orderId))
    expect(states.filter(({ state }) => state === 'due')).toHaveLength(0)
  })

  it('in whatever way it was shut, is not charged by the worker', async () => {
    const plan = await agree(MONTHLY)
    const [grant] = await listGrants(world.services, { orderId: plan.orderId })
    const { grants } = await import('../db/schema/index.ts')
    await world.db
      .update(grants)
      .set({ endedAt: new Date() })
      .where(eq(grants.id, grant?.id as string))
    await advance(31)
    expect(await takenFor(plan.orderId)).toEqual([1900])
    expect(await rowOf(plan.id)).toMatchObject({ state: 'cancelled', nextTry: null })
  })
})

it('a due day that is moved leaves the course open to the new day, and the buyer is told', async () => {
  const plan = await agree(MONTHLY)
  const today = await schoolDay(world.services)
  const due = after(today, 1, month)
  const moved = addDays(due, 12)
  await moveDue(world.services, plan.id, moved, 'waits for the salary')
  expect(await kindsTo(plan.orderId)).toEqual(['due-moved'])
  expect(await emailOf(plan.orderId, 'due-moved')).toContain('stays open until then')
  const [grant] = await listGrants(world.services, { orderId: plan.orderId })
  expect(grant?.closes).toBe(addDays(moved, 3))
  const until = daysBetween(today, moved)
  for (let days = 0; days < until; days += Math.min(3, until - days)) {
    await advance(Math.min(3, until - days))
    expect(await isOpen(plan)).toBe('open')
  }
  expect(await takenFor(plan.orderId)).toEqual([1900, 1900])
  // The payment after it keeps its day.
  const rows = await world.db
    .select()
    .from(payments)
    .where(and(eq(payments.orderId, plan.orderId), eq(payments.n, 3)))
  expect(rows[0]?.due).toBe(after(today, 2, month))
})

describe('who cancelled', () => {
  const view = async (plan: Agreed) => {
    const visitor = { mode: 'practice' as const, person: plan.person, browserHash: null }
    const page = await checkoutView(world.services, await getSchool(world.db), plan.slug, visitor)
    if (page.name !== 'checkout') throw new Error('no checkout')
    return page
  }

  it('is not asked back after a refund, with or without access: the page sells it again, and the order offers no undoing', async () => {
    const plan = await agree(MONTHLY)
    await cancelAgreement(world.services, plan.id, 'period-end', 'buyer')
    const [line] = await world.db.select().from(orderLines).where(eq(orderLines.orderId, plan.orderId))
    await refundLine(world.services, 'practice', plan.orderId, {
      ...{
        lineId: line?.id as string,
        courseIds: null,
        amount: 1900,
        access: 'keep',
        lowersLater: false,
        note: 'Kind',
      },
    })
    const own = await planView(world.services, { agreementId: plan.id, byLink: false }, 'key')
    expect(own).toMatchObject({ mayComeBack: false })
    const order = await openOrder(world.services, 'practice', plan.orderId)
    expect(order.agreements[0]).toMatchObject({ mayUncancel: false })
    await expect(takeCancelBack(world.services, plan.id, 'buyer')).rejects.toMatchObject({ code: 'refunded' })
    const page = await view(plan)
    expect(page.isOwned).toBe(false)
    expect(page.held?.label).not.toBe('Undo the cancellation')
  })

  it('comes back to the same offer without a charge, and is told', async () => {
    const plan = await agree(MONTHLY)
    await cancelAgreement(world.services, plan.id, 'period-end', 'buyer')
    const page = await view(plan)
    expect(page).toMatchObject({ isOwned: true, held: { href: `/my/plan/${plan.id}`, label: 'Undo the cancellation' } })
    const again = world.request(plan.offerId, 1900, { email: plan.email })
    const signedIn = { ...shopper('elsewhere'), person: plan.person }
    await expect(placeOrder(world.services, plan.slug, again, signedIn)).rejects.toMatchObject({
      code: 'already-yours',
    })
    await takeCancelBack(world.services, plan.id, 'buyer')
    expect(await rowOf(plan.id)).toMatchObject({ state: 'active' })
    expect(await takenFor(plan.orderId)).toEqual([1900])
    expect(await kindsTo(plan.orderId)).toEqual(['cancelled', 'cancel-taken-back'])
    expect(await emailOf(plan.orderId, 'cancel-taken-back')).toContain('Nothing was charged')
  })

  it('orders another offer, which is paid today, once the overlap was said', async () => {
    const plan = await agree(MONTHLY)
    const other = await world.offer(plan.courseId, yearly)
    await cancelAgreement(world.services, plan.id, 'period-end', 'buyer')
    const page = await view(plan)
    expect(page.offers.map(({ id }) => id)).toEqual([other])
    expect(page.held?.says).toMatch(/You have this course until .* paid today and starts today/)
    const request = world.request(other, 19_000, { email: plan.email })
    const signedIn = { ...shopper('elsewhere'), person: plan.person }
    await expect(placeOrder(world.services, plan.slug, request, signedIn)).rejects.toMatchObject({ code: 'held' })
    const placed = await placeOrder(world.services, plan.slug, { ...request, isTold: true }, signedIn)
    expect(placed.state).toBe('paid')
    // Whoever only types the address learns nothing, and orders nothing.
    await expect(
      placeOrder(world.services, plan.slug, { ...request, isTold: true }, shopper('a stranger')),
    ).rejects.toMatchObject({ code: 'not-with-this-email' })
  })

  it('has nothing to order where what they have lasts as long', async () => {
    const { offerId, slug, courseId } = await world.sell(9900, `Deed ${++buyers}`)
    const email = `deed${buyers}@post.example`
    await world.buy(slug, world.request(offerId, 9900, { email }), email)
    const other = await world.offer(courseId, MONTHLY)
    const [person = null] = await world.db.select().from(people).where(eq(people.email, email))
    const request = { ...world.request(other, 1900, { email }), isTold: true }
    await expect(placeOrder(world.services, slug, request, { ...shopper('elsewhere'), person })).rejects.toMatchObject({
      code: 'already-yours',
    })
  })
})

describe('all that is left of a plan', () => {
  const asked = async (id: string) => {
    const { agreement } = await readAgreement(world.db, id)
    return restOn(agreement, await schoolDay(world.services))
  }
  const byKept = (rest: object) => ({ ...rest, connectionId: null, token: '' }) as never

  it('is paid at once, in one charge, and nothing is charged after it', async () => {
    const plan = await agree(parts)
    const rest = await asked(plan.id)
    expect(rest).toEqual({ agreed: 12_900, from: 2, to: 4 })
    expect(await payManually(world.services, plan.id, byKept(rest as object))).toEqual({ state: 'paid' })
    expect(await rowOf(plan.id)).toMatchObject({ state: 'completed', collected: 4, nextTry: null })
    for (let months = 0; months < 4; months++) await advance(31)
    expect(await takenFor(plan.orderId)).toEqual([4300, 12_900])
  })

  it('of a stopped plan too; less than what is offered is refused', async () => {
    const plan = await agree(parts, 'pays-once')
    for (let days = 0; days < 45; days++) await advance(1)
    expect(await rowOf(plan.id)).toMatchObject({ state: 'stopped' })
    const rest = await asked(plan.id)
    expect(rest).toEqual({ agreed: 12_900, from: 2, to: 4 })
    await expect(payManually(world.services, plan.id, byKept({ agreed: 8600, from: 2, to: 3 }))).rejects.toMatchObject({
      code: 'price-changed',
    })
  })

  it('is nothing of its own for the last payment, or a subscription', async () => {
    const endless = await agree(MONTHLY)
    expect(await asked(endless.id)).toBeNull()
    const plan = await agree(parts)
    await advance(31)
    await advance(31)
    expect(await asked(plan.id)).toBeNull()
  })
})

describe('a stopped plan', () => {
  const stopped = async () => {
    const plan = await agree(parts, 'pays-once')
    for (let days = 0; days < 45; days++) await advance(1)
    return plan
  }
  const attention = async (orderId: string) =>
    (await needsAttention(world.services, 'practice'))
      .filter((item) => item.orderId === orderId)
      .map(({ kind }) => kind)

  it('stands under attention until it is decided, however long; written off, it owes nothing and stays shut', async () => {
    const plan = await stopped()
    await advance(200)
    expect(await attention(plan.orderId)).toEqual(['stopped'])
    await writeOff(world.services, plan.id, 'not worth it')
    expect(await attention(plan.orderId)).toEqual([])
    expect(await isOpen(plan)).toBe('closed')
    const left = await world.db.select().from(payments).where(eq(payments.orderId, plan.orderId))
    expect(left.map(({ state }) => state).sort()).toEqual(['collected', 'written-off', 'written-off', 'written-off'])
    await expect(writeOff(world.services, plan.id, 'again')).rejects.toMatchObject({ code: 'not-stopped' })
  })

  it('can be tried now, which is no try of the worker’s, and be sent a new link', async () => {
    const plan = await stopped()
    const { agreement } = await readAgreement(world.db, plan.id)
    const due = manualPaymentOn(agreement, await schoolDay(world.services)) as {
      agreed: number
      from: number
      to: number
    }
    const now = { ...due, connectionId: null, token: '', by: 'creator' as const }
    expect(await payManually(world.services, plan.id, now)).toMatchObject({ state: 'declined' })
    expect((await world.attemptsOf(plan.orderId)).at(-1)).toMatchObject({ madeBy: 'creator', state: 'declined' })
    expect(await rowOf(plan.id)).toMatchObject({ state: 'stopped', tries: 4 })
    await sendPayLink(world.services, plan.id)
    expect(await emailOf(plan.orderId, 'pay-link')).toMatch(/Your link to pay €43.00[\s\S]*\/pay\//)
  })
})

it('a pay link is sent for what is not late, too, and for nothing that has ended', async () => {
  const plan = await agree(parts)
  await sendPayLink(world.services, plan.id)
  expect(await emailOf(plan.orderId, 'pay-link')).toContain('The next payment')
  const gone = await agree(MONTHLY)
  await cancelAgreement(world.services, gone.id, 'now', 'creator')
  await expect(sendPayLink(world.services, gone.id)).rejects.toMatchObject({ code: 'nothing-due' })
})

it('a renewal is announced once, so many days before as the school has set', async () => {
  const plan = await agree(MONTHLY)
  const notified = async () => (await kindsTo(plan.orderId)).filter((kind) => kind === 'renewal-ahead').length
  world.clock.offsetMs += 25 * DAY
  await announceAll(world.services)
  expect(await notified()).toBe(0)
  await world.db.update(school).set({ renewalNoticeDays: 7 })
  await announceAll(world.services)
  await announceAll(world.services)
  expect(await notified()).toBe(1)
  expect(await emailOf(plan.orderId, 'renewal-ahead')).toMatch(/renews on .*: €19.00 is charged/)
  await advance(7)
  world.clock.offsetMs += 25 * DAY
  await announceAll(world.services)
  expect(await notified()).toBe(2)
  await world.db.update(school).set({ renewalNoticeDays: 0 })
})

describe('a cancelled subscription', () => {
  const shown = async ({ id }: Agreed) => {
    const view = await planView(world.services, { agreementId: id, byLink: false }, id)
    return { ...view, states: view.payments.map(({ state }) => state) }
  }
  const listed = async ({ orderId }: Agreed) =>
    (await openOrder(world.services, 'practice', orderId)).payments.map(({ n, state }) => `${n} ${state}`)

  it('in its trial closes when that ends, without grace, and lists no debts that nobody will ask for', async () => {
    const trial = { length: { count: 7, unit: 'day' }, amount: 0 } as const
    const plan = await agree({ ...MONTHLY, setupFee: 500, trial })
    const ends = addDays(await schoolDay(world.services), 7)
    expect(await shown(plan)).toMatchObject({ openUntilIfCancelled: ends, closedFrom: addDays(ends, 3) })
    await cancelAgreement(world.services, plan.id, 'period-end', 'buyer')
    expect(await shown(plan)).toMatchObject({ closedFrom: ends, isClosed: false, states: ['collected'] })
    expect(await listed(plan)).toEqual(['0 collected'])
    expect(await emailOf(plan.orderId, 'cancelled')).toContain('stays open until')
    await advance(7)
    expect(await shown(plan)).toMatchObject({ closedFrom: ends, isClosed: true })
    expect(await isOpen(plan)).not.toBe('open')
  })

  it('that was tried in vain shows that payment as unpaid, and none after it', async () => {
    const plan = await agree(MONTHLY, 'pays-once')
    await advance(31)
    await cancelAgreement(world.services, plan.id, 'period-end', 'creator')
    expect((await shown(plan)).states).toEqual(['collected', 'written-off'])
    expect(await listed(plan)).toEqual(['1 collected', '2 written-off'])
  })
})
