import { eq } from 'drizzle-orm'
import { describe, expect, it } from 'vitest'
import { agree, goOn } from '../../testing/overTime.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { THREE_PARTS } from '../../testing/terms.ts'
import { agreements, attempts, payments } from '../db/schema/index.ts'
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
  kept: null,
  expires: null,
})
const isUnderAttention = async (orderId: string) =>
  (await needsAttention(world.services, 'practice')).some((row) => row.orderId === orderId)

/** An order whose card asks its owner to confirm. */
async function confirming(email: string) {
  const course = await world.sell(12_900, `Odd ${email}`)
  const ask = (card: string) => world.buy(course.slug, world.request(course.offerId, 12_900, { email }, card), email)
  const { orderId } = await ask('confirms')
  const [attempt] = await world.attemptsOf(orderId)
  return { orderId, attemptId: attempt?.id as string, ask }
}

describe('for an order', () => {
  it.each([
    ['another sum', collected(12_901)],
    ['another currency', collected(12_900, 'CHF')],
  ])('%s than was asked for pays nothing', async (what, outcome) => {
    const { orderId, attemptId } = await confirming(`${what.replace(' ', '-')}@odd.example`)
    await settleAttempt(world.services, attemptId, outcome, 'event')
    await settleAttempt(world.services, attemptId, outcome, 'lookup')
    expect(await world.orderOf(orderId)).toMatchObject({ state: 'paying', paidAt: null })
    expect(await world.grantsOf(orderId)).toEqual([])
    expect((await world.journalOf(orderId)).filter((entry) => entry === 'attempt-mismatch')).toHaveLength(1)
    expect(await isUnderAttention(orderId)).toBe(true)
  })

  it('that is paid by now opens nothing a second time, and is seen once', async () => {
    const { orderId, attemptId, ask } = await confirming('twice@odd.example')
    expect((await ask('pays')).state).toBe('paid')
    const [first] = await world.attemptsOf(orderId)
    expect(first).toMatchObject({ id: attemptId, state: 'abandoned' })
    expect(await isUnderAttention(orderId)).toBe(false)
    for (const source of ['event', 'lookup'] as const) {
      await settleAttempt(world.services, attemptId, collected(12_900), source)
    }
    expect((await world.attemptsOf(orderId)).map(({ state }) => state)).toEqual(['abandoned', 'collected'])
    expect(await world.grantsOf(orderId)).toHaveLength(1)
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
    expect((await ask('pays', 'two')).state).toBe('paid')
    await settleAttempt(world.services, attempt?.id as string, collected(4300), 'event')
    expect((await world.orderOf(orderId))?.duplicateOf).not.toBeNull()
    expect(await world.grantsOf(orderId)).toEqual([])
    const rows = await world.db.select().from(payments).where(eq(payments.orderId, orderId)).orderBy(payments.n)
    expect(rows.map(({ state }) => state)).toEqual(['collected', 'let-go', 'let-go'])
    expect(await isUnderAttention(orderId)).toBe(true)
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
  const standing = async (orderId: string) => {
    const rows = await world.db.select().from(payments).where(eq(payments.orderId, orderId)).orderBy(payments.n)
    const [agreement] = await world.db.select().from(agreements).where(eq(agreements.orderId, orderId))
    return [rows.map(({ state }) => state), agreement?.collected]
  }

  it('that was collected already counts once, and is seen', async () => {
    const { plan, attemptId } = await closed(2)
    await goOn(world, 32)
    expect(await standing(plan.orderId)).toEqual([['collected', 'collected', 'due'], 2])
    await settleAttempt(world.services, attemptId, collected(4300), 'event')
    await settleAttempt(world.services, attemptId, collected(4300), 'lookup')
    expect(await standing(plan.orderId)).toEqual([['collected', 'collected', 'due'], 2])
    expect((await world.journalOf(plan.orderId)).filter((entry) => entry === 'attempt-surplus')).toHaveLength(1)
    expect(await isUnderAttention(plan.orderId)).toBe(true)
  })

  it('whose earlier one is unpaid is not taken for it, nor for itself', async () => {
    const { plan, attemptId } = await closed(3)
    await settleAttempt(world.services, attemptId, collected(4300), 'event')
    expect(await standing(plan.orderId)).toEqual([['collected', 'due', 'due'], 1])
    expect(await world.journalOf(plan.orderId)).toContain('attempt-surplus')
  })

  it('of which a part was collected already counts for none of the others', async () => {
    const { plan, attemptId } = await closed(2, 3)
    await goOn(world, 32)
    await settleAttempt(world.services, attemptId, collected(8600), 'event')
    expect(await standing(plan.orderId)).toEqual([['collected', 'collected', 'due'], 2])
    expect(await world.journalOf(plan.orderId)).toContain('attempt-surplus')
  })

  it('that is the next one counts, though its attempt was closed', async () => {
    const { plan, attemptId } = await closed(2)
    await settleAttempt(world.services, attemptId, collected(4300), 'event')
    expect(await standing(plan.orderId)).toEqual([['collected', 'collected', 'due'], 2])
    expect(await world.journalOf(plan.orderId)).not.toContain('attempt-surplus')
  })
})
