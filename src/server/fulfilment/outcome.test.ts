import { asc, eq } from 'drizzle-orm'
import { describe, expect, it } from 'vitest'
import { agree } from '../../testing/overTime.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { THREE_PARTS } from '../../testing/terms.ts'
import { holdAgreement, type LoadedAgreement, readAgreement } from '../agreements/agreements.ts'
import type { Attempt } from '../charging/start.ts'
import { agreements, attempts, messages, orders, payments } from '../db/schema/index.ts'
import { inTransaction } from '../platform/context.ts'
import { advanceAll, isNext, laterDeclined, writeCollected } from './outcome.ts'

const world = ownWorld()

/** Three payments of which the first is collected, and an attempt that is under way for those from `fromN` to `toN`. */
async function underWay(fromN: number, toN: number, madeBy: 'buyer' | 'worker') {
  const plan = await agree(world, THREE_PARTS)
  const [order] = await world.db.select().from(orders).where(eq(orders.id, plan.orderId))
  const [attempt] = await world.db
    .insert(attempts)
    .values({
      orderId: plan.orderId,
      agreementId: plan.id,
      fromN,
      toN,
      day: plan.order.quote.purchaseDay,
      madeBy,
      key: crypto.randomUUID(),
      connectionId: world.connectionId,
      amount: 4300 * (toN - fromN + 1),
      currency: 'EUR',
      state: 'started',
      startedAt: world.services.now(),
    })
    .returning()
  if (!order || !attempt) throw new Error('Nothing was stored.')
  return { plan, order, attempt }
}
const numbered = (orderId: string) =>
  world.db.select().from(payments).where(eq(payments.orderId, orderId)).orderBy(asc(payments.n))
const stored = async (id: string) => (await world.db.select().from(agreements).where(eq(agreements.id, id)))[0]
const mailAbout = async (agreementId: string) =>
  (await world.db.select().from(messages).where(eq(messages.agreementId, agreementId))).map(({ kind }) => kind).sort()
const collected = {
  state: 'collected' as const,
  reference: 'pay-1',
  currency: 'EUR',
  fee: 101,
  method: 'card ending 4821',
  savedMethod: null,
  expires: null,
}

describe('what a gateway collected', () => {
  it.each([
    [2, 2, 1, true],
    [2, 3, 1, true],
    // The next was paid meanwhile.
    [2, 2, 2, false],
    // One before it is not paid.
    [3, 3, 1, false],
    // There is none of such a number.
    [4, 4, 1, false],
  ])('of payments %i to %i, with %i collected: next is %s', async (fromN, toN, paidBefore, expected) => {
    const { id } = await agree(world, THREE_PARTS)
    const held = await readAgreement(world.db, id)
    const given = {
      held: { ...held, agreement: { ...held.agreement, collected: paidBefore } } as LoadedAgreement,
      attempt: { fromN, toN } as Attempt,
    }
    expect(isNext(given)).toBe(expected)
  })

  it('two payments at once: both are paid, the fee is shared to the last cent, the plan is complete, its buyer is told once', async () => {
    const { plan, order, attempt } = await underWay(2, 3, 'buyer')
    await inTransaction(world.services, async (within) => {
      const held = await holdAgreement(within.db, plan.id)
      await writeCollected(within, [
        { order, held, attempt, outcome: { ...collected, amount: 8600 }, source: 'answer' },
      ])
    })
    expect(
      (await numbered(plan.orderId)).map(({ state, attemptId, fee }) => [state, attemptId === attempt.id, fee]),
    ).toEqual([
      ['collected', false, expect.any(Number)],
      ['collected', true, 51],
      ['collected', true, 50],
    ])
    expect(await stored(plan.id)).toMatchObject({ collected: 3, state: 'completed', nextTry: null })
    expect(await mailAbout(plan.id)).toEqual(['collected'])
    const journal = await world.journalOf(plan.orderId)
    expect(journal.filter((what) => what === 'payment-collected')).toHaveLength(2)
    expect(journal.at(-2)).toBe('agreement-completed')
  })

  it('a method that the buyer paid with by hand is charged from then on; one that the worker charged is left as it is', async () => {
    for (const [madeBy, method] of [
      ['buyer', 'method-new'],
      ['worker', undefined],
    ] as const) {
      const { plan, order, attempt } = await underWay(2, 2, madeBy)
      const before = await stored(plan.id)
      const outcome = {
        ...collected,
        amount: 4300,
        savedMethod: 'method-new',
        method: 'card ending 1111',
        expires: '2031-05-31',
      }
      await inTransaction(world.services, async (within) => {
        const held = await holdAgreement(within.db, plan.id)
        await writeCollected(within, [{ order, held, attempt, outcome, source: 'answer' }])
      })
      expect((await stored(plan.id))?.savedMethod).toBe(method ?? before?.savedMethod)
    }
  })

  it('what cost nothing advances the agreement, and nobody is told', async () => {
    const { plan } = await underWay(2, 2, 'worker')
    await inTransaction(world.services, async (within) => {
      const held = await holdAgreement(within.db, plan.id)
      await advanceAll(within, [{ held, count: 1, day: plan.order.quote.purchaseDay, events: [], attemptId: null }])
    })
    expect(await stored(plan.id)).toMatchObject({ collected: 2, state: 'active' })
    expect(await mailAbout(plan.id)).toEqual([])
  })
})

describe('what a gateway declined', () => {
  const declined = { reference: 'pay-2', reason: 'not-enough-money', method: 'card ending 4821' } as const
  const decline = async (given: Awaited<ReturnType<typeof underWay>>) =>
    inTransaction(world.services, async (within) => {
      const held = await holdAgreement(within.db, given.plan.id)
      await laterDeclined(within, { ...given, held, outcome: declined, source: 'answer' })
    })

  it('counts as a try where the worker made it, and buyer and creator are told of the first', async () => {
    const given = await underWay(2, 2, 'worker')
    await decline(given)
    expect(await stored(given.plan.id)).toMatchObject({ tries: 1, state: 'active' })
    expect(await mailAbout(given.plan.id)).toEqual(['creator-declined', 'declined'])
  })

  it.each([
    ['by hand', 2, 'buyer'],
    ['of what is not next any more', 3, 'worker'],
  ] as const)('%s counts as none, and is in the history alone', async (_, n, madeBy) => {
    const given = await underWay(n, n, madeBy)
    await decline(given)
    expect(await stored(given.plan.id)).toMatchObject({ tries: 0, state: 'active' })
    expect(await mailAbout(given.plan.id)).toEqual([])
    expect(await world.journalOf(given.plan.orderId)).toContain('payment-declined')
    const [attempt] = await world.db.select().from(attempts).where(eq(attempts.id, given.attempt.id))
    expect(attempt).toMatchObject({ state: 'declined', reason: 'not-enough-money' })
  })
})
