import { and, eq } from 'drizzle-orm'
import { describe, expect, it } from 'vitest'
import { ownWorld } from '../../testing/ownWorld.ts'
import { MONTHLY } from '../../testing/terms.ts'
import { eventually, shopper, type World } from '../../testing/world.ts'
import { checkOrder } from '../checkout/status.ts'
import { cancelAgreement, takeCancelBack } from '../collecting/actions.ts'
import { collectAgreement } from '../collecting/collect.ts'
import { agreements, disputes, grants, messages, orderLines, payments, refunds } from '../db/schema/index.ts'
import { needsAttention } from '../support/attention.ts'
import { answerDispute, decideLost, noteDispute } from './disputes.ts'
import { refundLine } from './service.ts'
import { settleRefund } from './settle.ts'

const world = ownWorld()

const DAY = 86_400_000
let buyers = 0

type Price = Parameters<World['sell']>[0]

/** A thing bought by card, alone or as the first of two: nothing that becomes of it touches the other. */
async function buy(things: number, price: Price, pay: number, title: string, email?: string) {
  const course = await world.sell(price, `${title} of ${things}`)
  const others = things > 1 ? [await world.sell(2000, `Beside ${title}`, { taxRate: 1000 })] : []
  const who = { email: email ?? `buyer${++buyers}@refund.example` }
  const placed = await world.buy(course.slug, {
    ...world.request(course.offerId, pay + others.length * 2000, who),
    lines: [course, ...others].map(({ offerId }) => ({ offerId, chosen: null })),
  })
  const [line] = await world.db
    .select()
    .from(orderLines)
    .where(and(eq(orderLines.orderId, placed.orderId), eq(orderLines.position, 0)))
  const [agreement] = await world.db.select().from(agreements).where(eq(agreements.orderId, placed.orderId))
  return { course, orderId: placed.orderId, lineId: line?.id as string, agreementId: agreement?.id as string }
}

const give = (orderId: string, lineId: string, amount: number, access: 'keep' | 'close' = 'keep') =>
  refundLine(world.services, 'practice', orderId, { lineId, amount, access, note: 'Asked for it' })
const openOf = async (orderId: string) =>
  (await world.grantsOf(orderId)).filter(({ endedAt }) => endedAt === null).length
const bought = (price: Price, pay: number, title: string, email?: string) => buy(1, price, pay, title, email)
const given = () => [...world.standins.books.refunds.values()].reduce((sum, { amount }) => sum + amount, 0)
const agreementOf = async (id: string) => (await world.db.select().from(agreements).where(eq(agreements.id, id)))[0]

describe.each([1, 2])('giving money back for an order of %i things', (things) => {
  const bought = (price: Price, pay: number, title: string, email?: string) => buy(things, price, pay, title, email)
  /** How many of the others stay open, whatever becomes of the first. */
  const others = things - 1

  it('a part keeps the course, the rest closes it; never more than was paid', async () => {
    const { orderId, lineId } = await bought(12_900, 12_900, 'Refund')
    const before = given()
    expect(await give(orderId, lineId, 900)).toMatchObject({ refunded: 900, waiting: 0, refused: null })
    expect(await openOf(orderId)).toBe(1 + others)
    await expect(give(orderId, lineId, 12_001)).rejects.toMatchObject({ errors: [{ at: '/amount' }] })
    await give(orderId, lineId, 12_000, 'close')
    expect(await openOf(orderId)).toBe(others)
    expect(given() - before).toBe(12_900)
    await expect(give(orderId, lineId, 1)).rejects.toMatchObject({ errors: [{ why: 'Nothing is left to refund.' }] })
  })

  it('closes one of two courses of a buyer, and leaves the other', async () => {
    const email = `two${things}@refund.example`
    const first = await bought(5000, 5000, 'First of two', email)
    const second = await bought(7000, 7000, 'Second of two', email)
    await give(first.orderId, first.lineId, 5000, 'close')
    expect([await openOf(first.orderId), await openOf(second.orderId)]).toEqual([others, 1 + others])
  })

  it('looks at orders of its own mode alone', async () => {
    const { orderId, lineId } = await bought(12_900, 12_900, 'Other mode')
    const asked = { lineId, amount: 100, access: 'keep' as const, note: 'Asked for it' }
    await expect(refundLine(world.services, 'live', orderId, asked)).rejects.toMatchObject({ status: 404 })
    expect(await world.db.$count(refunds, eq(refunds.orderId, orderId))).toBe(0)
  })

  it('two at the same moment give back what was paid, not twice', async () => {
    const { orderId, lineId } = await bought(5000, 5000, 'Both')
    const before = given()
    const both = await Promise.allSettled([give(orderId, lineId, 5000), give(orderId, lineId, 5000)])
    expect(both.filter(({ status }) => status === 'fulfilled')).toHaveLength(1)
    expect(given() - before).toBe(5000)
  })

  it('an answer that is lost, or a gateway that is down, is asked again by its key and gives back once', async () => {
    const { orderId, lineId } = await bought(5000, 5000, 'Lost answer')
    world.standins.world.down = true
    expect(await give(orderId, lineId, 5000, 'close')).toMatchObject({ refunded: 0, waiting: 5000 })
    expect(await openOf(orderId)).toBe(1 + others)
    world.standins.world.down = false
    const [refund] = await world.db.select().from(refunds).where(eq(refunds.orderId, orderId))
    const before = given()
    await Promise.all([1, 2, 3].map(() => settleRefund(world.services, refund?.id as string)))
    expect(given() - before).toBe(5000)
    expect(await openOf(orderId)).toBe(others)
    const notified = and(eq(messages.orderId, orderId), eq(messages.kind, 'refunded'))
    expect(await world.db.$count(messages, notified)).toBe(1)
  })

  it('of a subscription it is shared over its payments, newest first; closing ends it', async () => {
    const { orderId, lineId, agreementId } = await bought(MONTHLY, 1900, 'Monthly')
    world.clock.offsetMs += 32 * DAY
    await collectAgreement(world.services, agreementId)
    await give(orderId, lineId, 2500, 'close')
    const rows = await world.db.select().from(refunds).where(eq(refunds.orderId, orderId))
    const [first, second] = await world.attemptsOf(orderId)
    const of = (id?: string) => rows.filter(({ attemptId }) => attemptId === id).map(({ amount }) => amount)
    expect([of(first?.id), of(second?.id)]).toEqual([[600], [1900]])
    expect(await agreementOf(agreementId)).toMatchObject({ state: 'cancelled', nextTry: null })
    expect(await openOf(orderId)).toBe(others)
    const due = and(eq(payments.orderId, orderId), eq(payments.state, 'due'))
    expect(await world.db.$count(payments, due)).toBe(0)
    await collectAgreement(world.services, agreementId)
    const notified = and(eq(messages.orderId, orderId), eq(messages.kind, 'refunded'))
    expect(await world.db.$count(messages, notified)).toBe(1)
  })
})

it('a wallet gives back whole payments only, and says which amounts', async () => {
  const { moor } = await world.connectOthers()
  const course = await world.sell(4300, 'Whole')
  const request = world.request(course.offerId, 4300, {
    email: 'whole@refund.example',
    payment: { connectionId: moor, token: '' },
  })
  const placed = await world.buy(course.slug, request)
  await world.press(placed.state === 'confirming' ? placed.url : '', 'pays')
  await checkOrder(world.services, placed.orderId, shopper('browser'))
  const [line] = await world.db.select().from(orderLines).where(eq(orderLines.orderId, placed.orderId))
  await expect(give(placed.orderId, line?.id as string, 1000)).rejects.toMatchObject({
    errors: [{ at: '/amount', why: 'Moor Wallet refunds whole payments only: €43.00.' }],
  })
  expect(await give(placed.orderId, line?.id as string, 4300)).toMatchObject({ refunded: 4300 })
})

describe.each([1, 2])('a cancelling taken back in an order of %i things', (things) => {
  const bought = (price: Price, pay: number, title: string, email?: string) => buy(things, price, pay, title, email)

  it('goes on as before, with its payments expected again', async () => {
    const { orderId, agreementId } = await bought(MONTHLY, 1900, 'Undo', `undo${things}@refund.example`)
    const before = await agreementOf(agreementId)
    const due = and(eq(payments.orderId, orderId), eq(payments.state, 'due'))
    const expected = await world.db.$count(payments, due)
    await cancelAgreement(world.services, agreementId, 'now', 'creator')
    expect(await world.db.$count(payments, due)).toBe(0)
    await takeCancelBack(world.services, agreementId, 'creator')
    expect(await agreementOf(agreementId)).toEqual(before)
    expect(await world.db.$count(payments, due)).toBe(expected)
    const [grant] = await world.grantsOf(orderId)
    expect(grant?.closes && grant.closes > world.services.now().toISOString().slice(0, 10)).not.toBe(false)
  })

  it('is refused once a payment was due meanwhile, or money was given back', async () => {
    const late = await bought(MONTHLY, 1900, 'Too late')
    await cancelAgreement(world.services, late.agreementId, 'period-end', 'buyer')
    world.clock.offsetMs += 40 * DAY
    await expect(takeCancelBack(world.services, late.agreementId, 'creator')).rejects.toMatchObject({
      code: 'too-late',
    })
    const paid = await bought(MONTHLY, 1900, 'Given back')
    await give(paid.orderId, paid.lineId, 1900, 'close')
    await expect(takeCancelBack(world.services, paid.agreementId, 'creator')).rejects.toMatchObject({
      code: 'refunded',
    })
  })
})

const of = async (orderId: string) => (await world.db.select().from(disputes).where(eq(disputes.orderId, orderId)))[0]
const answer = async (orderId: string, accept: boolean, access: 'keep' | 'close' = 'keep') =>
  answerDispute(world.services, 'practice', (await of(orderId))?.id as string, {
    accept,
    access,
    note: 'Looked into it',
  })

describe.each([1, 2])('a dispute about an order of %i things', (things) => {
  const all = 12_900 + (things - 1) * 2000
  const disputed = async (title: string) => {
    const made = await buy(things, 12_900, 12_900, title)
    const [attempt] = await world.attemptsOf(made.orderId)
    world.standins.announceDispute(world.standins.books.dispute(attempt?.reference ?? '', 'Not theirs'))
    await eventually(async () => (await of(made.orderId)) !== undefined)
    return made
  }
  it('closes nothing by itself, is told to the creator, and cannot be given back twice', async () => {
    world.standins.world.eventsDoubled = true
    const { orderId, lineId } = await disputed('Dispute')
    world.standins.world.eventsDoubled = false
    expect(await of(orderId)).toMatchObject({ state: 'open', amount: all, reason: 'Not theirs' })
    expect(await openOf(orderId)).toBe(things)
    const notified = and(eq(messages.orderId, orderId), eq(messages.kind, 'creator-disputed'))
    expect(await world.db.$count(messages, notified)).toBe(1)
    await expect(give(orderId, lineId, 12_900)).rejects.toMatchObject({ errors: [{ at: '/amount' }] })
  })

  it('given up, the money stands as given back, and the course is closed where that was decided', async () => {
    const { orderId, lineId } = await disputed('Given up')
    await answer(orderId, true, 'close')
    expect((await of(orderId))?.state).toBe('lost')
    expect(await openOf(orderId)).toBe(0)
    const rows = await world.db.select().from(refunds).where(eq(refunds.orderId, orderId))
    expect(rows.filter((row) => row.lineId === lineId)).toMatchObject([{ amount: 12_900, state: 'refunded' }])
    expect(rows.reduce((sum, { amount }) => sum + amount, 0)).toBe(all)
    await expect(answer(orderId, true)).rejects.toMatchObject({ code: 'answered' })
  })

  it('contested and won, everything stays; an old event changes nothing any more', async () => {
    const { orderId } = await disputed('Won')
    // What becomes of the course is asked only where the money is given up.
    await answer(orderId, false, 'close')
    expect([(await of(orderId))?.state, await openOf(orderId)]).toEqual(['contested', things])
    const [attempt] = await world.attemptsOf(orderId)
    const booked = [...world.standins.books.disputes.values()].find(({ payment }) => payment === attempt?.reference)
    const open = {
      dispute: { ...booked, state: 'open' } as never,
      payment: world.standins.books.payments.get(attempt?.reference ?? '') as never,
    }
    world.standins.announceDispute(world.standins.books.decideDispute(booked?.id ?? '', true))
    await eventually(async () => (await of(orderId))?.state === 'won')
    world.standins.announceDispute(open)
    await new Promise((resolve) => setTimeout(resolve, 150))
    expect((await of(orderId))?.state).toBe('won')
    expect(await openOf(orderId)).toBe(things)
    expect(await world.db.select().from(grants).where(eq(grants.orderId, orderId))).toHaveLength(things)
  })

  it('contested and lost is told, and stands under attention until it is decided what becomes of the course', async () => {
    const { orderId } = await disputed('Lost late')
    await answer(orderId, false)
    const [attempt] = await world.attemptsOf(orderId)
    const booked = [...world.standins.books.disputes.values()].find(({ payment }) => payment === attempt?.reference)
    world.standins.announceDispute(world.standins.books.decideDispute(booked?.id ?? '', false))
    await eventually(async () => (await of(orderId))?.state === 'lost')
    const notified = and(eq(messages.orderId, orderId), eq(messages.kind, 'creator-dispute-ended'))
    expect(await world.db.$count(messages, notified)).toBe(1)
    const attention = async () =>
      (await needsAttention(world.services, 'practice'))
        .filter((item) => item.orderId === orderId)
        .map(({ kind }) => kind)
    expect(await attention()).toEqual(['dispute-lost'])
    expect(await openOf(orderId)).toBe(things)
    const id = (await of(orderId))?.id as string
    await decideLost(world.services, 'practice', id, { access: 'close', note: 'the money is gone' })
    expect(await openOf(orderId)).toBe(0)
    expect(await attention()).toEqual([])
    await expect(decideLost(world.services, 'practice', id, { access: 'keep', note: 'twice' })).rejects.toMatchObject({
      code: 'decided',
    })
  })

  it('given up by the creator asks nothing more', async () => {
    const { orderId } = await disputed('Given up at once')
    await answer(orderId, true, 'keep')
    const notified = and(eq(messages.orderId, orderId), eq(messages.kind, 'creator-dispute-ended'))
    expect(await world.db.$count(messages, notified)).toBe(0)
    const kinds = (await needsAttention(world.services, 'practice')).filter((item) => item.orderId === orderId)
    expect(kinds).toEqual([])
  })
})

describe('disputes under one reference', () => {
  it('two of one plan that are lost under one reference are both booked', async () => {
    const { orderId, agreementId } = await bought(MONTHLY, 1900, 'Lost twice')
    world.clock.offsetMs += 32 * DAY
    await collectAgreement(world.services, agreementId)
    for (const { id, key } of await world.attemptsOf(orderId)) {
      const report = { key, reference: 'one for both', amount: 1900, reason: 'Not theirs' }
      await noteDispute(world.services, 'practice', id, { ...report, state: 'lost' })
      await noteDispute(world.services, 'practice', id, { ...report, state: 'lost' })
    }
    const rows = await world.db.select().from(refunds).where(eq(refunds.orderId, orderId))
    expect(rows.map(({ amount }) => amount)).toEqual([1900, 1900])
  })

  it('two that are lost at two gateways under one reference are both booked', async () => {
    const { moor } = await world.connectOthers()
    const byCard = await bought(12_900, 12_900, 'Lost by card')
    const course = await world.sell(8000, 'Lost by wallet')
    const placed = await world.buy(
      course.slug,
      world.request(course.offerId, 8000, {
        email: 'wallet@post.example',
        payment: { connectionId: moor as string, token: '' },
      }),
      'wallet',
    )
    if (placed.state !== 'confirming') throw new Error(placed.state)
    await world.press(placed.url, 'pays')
    await eventually(async () => (await world.orderOf(placed.orderId))?.state === 'paid')
    for (const { orderId, amount } of [
      { orderId: byCard.orderId, amount: 12_900 },
      { orderId: placed.orderId, amount: 8000 },
    ]) {
      const [attempt] = await world.attemptsOf(orderId)
      const report = {
        key: attempt?.key as string,
        reference: 'D-1',
        amount,
        reason: 'Not theirs',
        state: 'lost' as const,
      }
      // Told twice, it is booked once.
      for (let times = 0; times < 2; times++)
        await noteDispute(world.services, 'practice', attempt?.id as string, report)
      expect(await world.db.select().from(refunds).where(eq(refunds.orderId, orderId))).toMatchObject([
        { amount, reference: 'D-1', state: 'refunded' },
      ])
    }
  })
})
