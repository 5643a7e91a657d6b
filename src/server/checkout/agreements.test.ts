import { and, eq } from 'drizzle-orm'
import { beforeEach, describe, expect, it } from 'vitest'
import { ownWorld } from '../../testing/ownWorld.ts'
import { MONTHLY } from '../../testing/terms.ts'
import { agreements, payments } from '../db/schema/index.ts'
import { plansOf } from '../orders/plans.ts'
import { receiptOf } from '../orders/receipt.ts'

const month = { count: 1, unit: 'month' } as const
const parts = {
  kind: 'installments',
  count: 3,
  every: month,
  amount: null,
  total: 12_900,
  deposit: null,
  trial: null,
} as const
const trial = { length: { count: 7, unit: 'day' }, amount: 0 } as const

const world = ownWorld()
let n = 0
beforeEach(() => void n++)

const email = () => `agreed${n}@post.example`
const agreementOf = async (orderId: string) =>
  (await world.db.select().from(agreements).where(eq(agreements.orderId, orderId)))[0]
const card = (behaviour = 'pays') => ({ connectionId: world.connectionId, token: world.standins.tokenOf(behaviour) })

describe('an order with payments to come', () => {
  it('takes the first part, keeps the card, and lists what comes when', async () => {
    const { offerId, slug } = await world.sell(parts, `Parts ${n}`)
    const { orderId, state } = await world.buy(slug, world.request(offerId, 4300, { email: email() }))
    expect(state).toBe('paid')
    const rows = await world.db.select().from(payments).where(eq(payments.orderId, orderId)).orderBy(payments.due)
    expect(rows.map(({ pay, state: now }) => [pay, now])).toEqual([
      [4300, 'collected'],
      [4300, 'due'],
      [4300, 'due'],
    ])
    const agreement = await agreementOf(orderId)
    expect(agreement).toMatchObject({ savedMethod: expect.stringMatching(/^method-/), method: 'card ending 4821' })
    const [plan] = await plansOf(world.db, agreement?.personId as string)
    expect(plan?.payments.map(({ state: now }) => now)).toEqual(['collected', 'to-come', 'to-come'])
    expect(await world.journalOf(orderId)).toContain('agreement-begun')
  })

  it('names set-up before trial, in whatever order the database holds them', async () => {
    const terms = { ...MONTHLY, setupFee: 500, trial: { ...trial, amount: 100 } }
    const { offerId, slug } = await world.sell(terms, `Set up ${n}`)
    const { orderId } = await world.buy(slug, world.request(offerId, 600, { email: email() }))
    const { personId } = (await agreementOf(orderId)) ?? {}
    for (const kind of ['setup', 'trial', 'setup'] as const) {
      // Written anew, a row stands behind the others.
      await world.db
        .update(payments)
        .set({ kind })
        .where(and(eq(payments.orderId, orderId), eq(payments.kind, kind)))
      const [plan] = await plansOf(world.db, personId as string)
      expect(plan?.payments.slice(0, 3).map(({ pay }) => pay)).toEqual([500, 100, 1900])
      const { payments: received } = await receiptOf(world.services, orderId)
      expect(received.map(({ amount }) => amount)).toEqual([500, 100])
    }
  })

  it('a free trial charges nothing, and still keeps a card', async () => {
    const { offerId, slug } = await world.sell({ ...MONTHLY, trial }, `Trial ${n}`)
    const before = world.standins.books.payments.size
    const { orderId, state } = await world.buy(slug, world.request(offerId, 0, { email: email(), payment: card() }))
    expect(state).toBe('paid')
    expect(world.standins.books.payments.size).toBe(before)
    expect(await world.attemptsOf(orderId)).toEqual([])
    expect(await agreementOf(orderId)).toMatchObject({ savedMethod: expect.stringMatching(/^method-/) })
  })

  it('a free trial without a card, or with a spent token, is refused, and nothing opens', async () => {
    const { offerId, slug } = await world.sell({ ...MONTHLY, trial }, `No card ${n}`)
    const before = await world.db.$count(agreements)
    await expect(world.buy(slug, world.request(offerId, 0, { email: email(), payment: null }))).rejects.toMatchObject({
      code: 'invalid',
    })
    const spent = { ...card(), token: 'tok-spent' }
    await expect(world.buy(slug, world.request(offerId, 0, { email: email(), payment: spent }))).rejects.toMatchObject({
      code: 'card-refused',
    })
    expect(await world.db.$count(agreements)).toBe(before)
  })

  it('a card that asks keeps its method when it is approved', async () => {
    const { offerId, slug } = await world.sell(MONTHLY, `Confirmed ${n}`)
    const placed = await world.buy(slug, world.request(offerId, 1900, { email: email(), payment: card('confirms') }))
    if (placed.state !== 'confirming') throw new Error(placed.state)
    expect(await agreementOf(placed.orderId)).toBeUndefined()
    const url = new URL(placed.url)
    world.standins.books.confirm(url.pathname.split('/').at(-1) ?? '', url.searchParams.get('s') ?? '', true)
    const [attempt] = await world.attemptsOf(placed.orderId)
    const { lookUpAttempt } = await import('../lookup/lookup.ts')
    if (attempt) await lookUpAttempt(world.services, attempt)
    expect(await agreementOf(placed.orderId)).toMatchObject({ savedMethod: expect.stringMatching(/^method-/) })
  })

  it('a one-time purchase keeps no card', async () => {
    const { offerId, slug } = await world.sell(500, `Once ${n}`)
    const { orderId } = await world.buy(slug, world.request(offerId, 500, { email: email() }))
    expect(await agreementOf(orderId)).toBeUndefined()
    expect((await world.attemptsOf(orderId))[0]?.savedMethod).toBeNull()
  })
})

describe('name your price', () => {
  it('takes what the buyer chose, and refuses less than the least at the field', async () => {
    const { offerId, slug } = await world.sell({ kind: 'openPrice', minimum: 400, suggested: 1200 }, `Own price ${n}`)
    const low = world.request(offerId, 300, { email: email(), chosen: 300 })
    await expect(world.buy(slug, low)).rejects.toMatchObject({
      errors: [{ at: '/lines/0/chosen', why: 'The minimum is €4.00.' }],
    })
    const { orderId } = await world.buy(slug, world.request(offerId, 700, { email: email(), chosen: 700 }))
    expect(await world.orderOf(orderId)).toMatchObject({ state: 'paid', payToday: 700 })
  })

  it('0 is free where the least is 0; a price on other terms is refused', async () => {
    const open = await world.sell({ kind: 'openPrice', minimum: 0, suggested: 1200 }, `From nothing ${n}`)
    const { state } = await world.buy(open.slug, world.request(open.offerId, 0, { email: email(), chosen: 0 }))
    expect(state).toBe('paid')
    const fixed = await world.sell(500, `Fixed ${n}`)
    await expect(
      world.buy(fixed.slug, world.request(fixed.offerId, 500, { email: email(), chosen: 1 })),
    ).rejects.toMatchObject({ code: 'invalid' })
  })
})
