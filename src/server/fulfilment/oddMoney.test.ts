import { eq } from 'drizzle-orm'
import { describe, expect, it } from 'vitest'
import { advance, agree } from '../../testing/overTime.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { MONTHLY, THREE_PARTS, WHILE_PAYING } from '../../testing/terms.ts'
import { agreements, attempts, ledger, payments } from '../db/schema/index.ts'
import { needsAttention } from '../support/attention.ts'
import { settleAttempt } from './settle.ts'

/** Money that a gateway took and that was not, or no more, asked for: it settles nothing, and a person sees it. */
const world = ownWorld()

const collected = (amount: number, currency = 'EUR') => ({
  state: 'collected' as const,
  reference: 'pay-odd',
  amount,
  currency,
  fee: 1,
  method: 'card ending 4821',
  savedMethod: null,
  expires: null,
})
const isUnderAttention = async (orderId: string) =>
  (await needsAttention(world.services, 'practice')).some((row) => row.orderId === orderId)

/** A basket of one thing, or of two with offers of different kinds, and how it is ordered by a card. */
async function basket(things: number, email: string) {
  const once = await world.sell(12_900, `Odd ${email}`)
  const club = things > 1 ? [await world.sell(MONTHLY, `Odd club ${email}`, { access: WHILE_PAYING })] : []
  const sum = 12_900 + club.length * 1900
  const lines = [once, ...club].map(({ offerId }) => ({ offerId, chosen: null }))
  const ask = (card: string, browser = email) =>
    world.buy(once.slug, { ...world.request(once.offerId, sum, { email }, card), lines }, browser)
  return { sum, ask }
}

/** An order whose card asks its owner to confirm. */
async function confirming(things: number, email: string) {
  const { sum, ask } = await basket(things, email)
  const { orderId } = await ask('confirms')
  const [attempt] = await world.attemptsOf(orderId)
  return { orderId, attemptId: attempt?.id as string, ask, sum }
}

describe.each([1, 2])('for an order of %i things', (things) => {
  it.each([
    ['another sum', (sum: number) => collected(sum + 1)],
    ['another currency', (sum: number) => collected(sum, 'CHF')],
  ])('%s than was asked for pays nothing', async (what, of) => {
    const { orderId, attemptId, sum } = await confirming(things, `${what.replace(' ', '-')}${things}@odd.example`)
    const outcome = of(sum)
    await settleAttempt(world.services, attemptId, outcome, 'event')
    await settleAttempt(world.services, attemptId, outcome, 'lookup')
    expect(await world.orderOf(orderId)).toMatchObject({ state: 'paying', paidAt: null })
    expect(await world.grantsOf(orderId)).toEqual([])
    expect((await world.journalOf(orderId)).filter((entry) => entry === 'attempt-mismatch')).toHaveLength(1)
    expect(await isUnderAttention(orderId)).toBe(true)
  })

  it('that is paid by now opens nothing a second time, and is seen once', async () => {
    const { orderId, attemptId, ask, sum } = await confirming(things, `twice${things}@odd.example`)
    expect((await ask('pays')).state).toBe('paid')
    const [first] = await world.attemptsOf(orderId)
    expect(first).toMatchObject({ id: attemptId, state: 'abandoned' })
    expect(await isUnderAttention(orderId)).toBe(false)
    for (const source of ['event', 'lookup'] as const) {
      await settleAttempt(world.services, attemptId, collected(sum), source)
    }
    expect((await world.attemptsOf(orderId)).map(({ state }) => state)).toEqual(['abandoned', 'collected'])
    expect(await world.grantsOf(orderId)).toHaveLength(things)
    expect((await world.journalOf(orderId)).filter((entry) => entry === 'attempt-surplus')).toHaveLength(1)
    expect(await isUnderAttention(orderId)).toBe(true)
  })
})

describe('for an order whose course another one opened meanwhile', () => {
  it('is booked and opens nothing, and nothing more is expected of it', async () => {
    const course = await world.sell(THREE_PARTS, 'Odd twice over')
    const ask = (card: string, browser: string) =>
      world.buy(course.slug, world.request(course.offerId, 4300, { email: 'parts@odd.example' }, card), browser)
    const { orderId } = await ask('confirms', 'one')
    const [attempt] = await world.attemptsOf(orderId)
    const other = await ask('pays', 'two')
    await settleAttempt(world.services, attempt?.id as string, collected(4300), 'event')
    expect(await world.duplicatesOf(orderId)).toEqual([other.orderId])
    expect(await world.grantsOf(orderId)).toEqual([])
    const rows = await world.db.select().from(payments).where(eq(payments.orderId, orderId)).orderBy(payments.n)
    expect(rows.map(({ state }) => state)).toEqual(['collected', 'written-off', 'written-off'])
    expect(await isUnderAttention(orderId)).toBe(true)
  })

  it('of two things, books both, opens neither, and begins no subscription', async () => {
    const { sum, ask } = await basket(2, 'both@odd.example')
    const { orderId } = await ask('confirms', 'one')
    const [attempt] = await world.attemptsOf(orderId)
    const other = await ask('pays', 'two')
    await settleAttempt(world.services, attempt?.id as string, collected(sum), 'event')
    expect(await world.duplicatesOf(orderId)).toEqual([other.orderId, other.orderId])
    expect(await world.grantsOf(orderId)).toEqual([])
    expect(await world.db.select().from(agreements).where(eq(agreements.orderId, orderId))).toEqual([])
    const booked = await world.db.select().from(ledger).where(eq(ledger.orderId, orderId))
    const overpaid = booked.filter(({ account }) => account === 'liabilities:overpaid')
    expect(overpaid.map(({ amount }) => -amount).sort((a, b) => a - b)).toEqual([1900, 12_900])
    expect(new Set(overpaid.map(({ lineId }) => lineId)).size).toBe(2)
  })
})

describe('for a later payment', () => {
  /** An attempt that was closed, of a plan whose first payment is collected. */
  async function closed(fromN: number, toN = fromN) {
    const plan = await agree(world, THREE_PARTS)
    const [first] = await world.attemptsOf(plan.orderId)
    const [attempt] = await world.db
      .insert(attempts)
      .values({
        ...(first as typeof attempts.$inferSelect),
        id: crypto.randomUUID(),
        key: crypto.randomUUID(),
        agreementId: plan.id,
        fromN,
        toN,
        amount: 4300 * (toN - fromN + 1),
        state: 'abandoned',
        madeBy: 'worker',
      })
      .returning()
    return { plan, attemptId: attempt?.id as string }
  }
  const stateOfPlan = async (orderId: string) => {
    const rows = await world.db.select().from(payments).where(eq(payments.orderId, orderId)).orderBy(payments.n)
    const [agreement] = await world.db.select().from(agreements).where(eq(agreements.orderId, orderId))
    return [rows.map(({ state }) => state), agreement?.collected]
  }

  it('that was collected already counts once, and is seen', async () => {
    const { plan, attemptId } = await closed(2)
    await advance(world, 32)
    expect(await stateOfPlan(plan.orderId)).toEqual([['collected', 'collected', 'due'], 2])
    await settleAttempt(world.services, attemptId, collected(4300), 'event')
    await settleAttempt(world.services, attemptId, collected(4300), 'lookup')
    expect(await stateOfPlan(plan.orderId)).toEqual([['collected', 'collected', 'due'], 2])
    expect((await world.journalOf(plan.orderId)).filter((entry) => entry === 'attempt-surplus')).toHaveLength(1)
    expect(await isUnderAttention(plan.orderId)).toBe(true)
  })

  it('whose earlier one is unpaid is not taken for it, nor for itself', async () => {
    const { plan, attemptId } = await closed(3)
    await settleAttempt(world.services, attemptId, collected(4300), 'event')
    expect(await stateOfPlan(plan.orderId)).toEqual([['collected', 'due', 'due'], 1])
    expect(await world.journalOf(plan.orderId)).toContain('attempt-surplus')
  })

  it('of which a part was collected already counts for none of the others', async () => {
    const { plan, attemptId } = await closed(2, 3)
    await advance(world, 32)
    await settleAttempt(world.services, attemptId, collected(8600), 'event')
    expect(await stateOfPlan(plan.orderId)).toEqual([['collected', 'collected', 'due'], 2])
    expect(await world.journalOf(plan.orderId)).toContain('attempt-surplus')
  })

  it('for several at once, splits what the gateway took over them', async () => {
    const { plan, attemptId } = await closed(2, 3)
    await settleAttempt(world.services, attemptId, { ...collected(8600), fee: 7 }, 'event')
    const rows = await world.db.select().from(payments).where(eq(payments.attemptId, attemptId)).orderBy(payments.n)
    expect(rows.map(({ n, fee }) => [n, fee])).toEqual([
      [2, 4],
      [3, 3],
    ])
    expect((await stateOfPlan(plan.orderId))[1]).toBe(3)
  })

  it('that is the next one counts, though its attempt was closed', async () => {
    const { plan, attemptId } = await closed(2)
    await settleAttempt(world.services, attemptId, collected(4300), 'event')
    expect(await stateOfPlan(plan.orderId)).toEqual([['collected', 'collected', 'due'], 2])
    expect(await world.journalOf(plan.orderId)).not.toContain('attempt-surplus')
  })
})
