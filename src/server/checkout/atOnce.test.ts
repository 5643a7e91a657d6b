import { asc, eq, inArray, sql } from 'drizzle-orm'
import { beforeEach, describe, expect, it } from 'vitest'
import { ownWorld } from '../../testing/ownWorld.ts'
import { grants, ledger, messages, orders, payments, people } from '../db/schema/index.ts'
import { settleAttempt, settleCollected } from '../fulfilment/settle.ts'

/** What is placed and paid at the same moment is stored and settled together, and comes out as one after another. */
const world = ownWorld()
let n = 0
let book: Awaited<ReturnType<typeof world.sell>>
beforeEach(async () => {
  n++
  book = await world.sell(12_900, `Book ${n}`, { taxRate: 1000 })
})

const email = (who: string | number) => `once${n}-${who}@post.example`
const buy = (who: string | number, card = 'pays', browser = `browser ${n} ${who}`) =>
  world.buy(book.slug, world.request(book.offerId, 12_900, { email: email(who) }, card), browser)
const times = <T>(count: number, make: (index: number) => T) => Array.from({ length: count }, (_, index) => make(index))

/** What is stored of an order that could differ by how it was stored. */
async function storedOf(orderId: string) {
  const [order] = await world.db.select().from(orders).where(eq(orders.id, orderId))
  const of = (rows: { account: string; amount: number }[]) => rows.map(({ account, amount }) => [account, amount])
  return {
    state: order?.state,
    placedOn: order?.placedOn,
    payments: (await world.db.select().from(payments).where(eq(payments.orderId, orderId))).map(
      ({ state, pay, tax, fee, attemptId }) => ({ state, pay, tax, fee, isTried: attemptId !== null }),
    ),
    attempts: (await world.attemptsOf(orderId)).map(({ state, amount, fee, method }) => ({
      state,
      amount,
      fee,
      method,
    })),
    grants: (await world.grantsOf(orderId)).map(({ opens, closes }) => ({ opens, closes })),
    journal: await world.journalOf(orderId),
    messages: (
      await world.db.select().from(messages).where(eq(messages.orderId, orderId)).orderBy(asc(messages.kind))
    ).map(({ kind }) => kind),
    ledger: of(await world.db.select().from(ledger).where(eq(ledger.orderId, orderId)).orderBy(asc(ledger.account))),
  }
}

const collected = (amount: number, reference: string, currency = 'EUR') => ({
  state: 'collected' as const,
  reference,
  amount,
  currency,
  fee: 31,
  method: 'card ending 4821',
  savedMethod: null,
  expires: null,
})

describe('new buyers who order at the same moment', () => {
  it('have each what one who orders alone has, and a number of their own', async () => {
    const alone = await buy('alone')
    const all = await Promise.all(times(12, (who) => buy(who)))
    expect(all.every(({ state }) => state === 'paid')).toBe(true)
    const first = await storedOf(alone.orderId)
    expect(first).toMatchObject({ state: 'paid', grants: [{}], attempts: [{ state: 'collected', amount: 12_900 }] })
    for (const { orderId } of all) expect(await storedOf(orderId)).toEqual(first)
    const rows = await world.db
      .select({ number: orders.number, email: people.email })
      .from(orders)
      .innerJoin(people, eq(people.id, orders.personId))
      .where(
        inArray(
          orders.id,
          all.map(({ orderId }) => orderId),
        ),
      )
    expect(new Set(rows.map(({ number }) => number)).size).toBe(12)
    expect(rows.map((row) => row.email).sort()).toEqual(times(12, email).sort())
  })

  it('one address from several browsers is one buyer, who is charged once for the same thing in each browser', async () => {
    const all = await Promise.all(times(4, (index) => buy('same', 'pays', `own ${n} ${index}`).catch((error) => error)))
    const paid = all.filter(({ state }) => state === 'paid')
    expect(paid.length).toBeGreaterThan(0)
    expect(await world.db.$count(people, eq(people.email, email('same')))).toBe(1)
    const [person] = await world.db
      .select()
      .from(people)
      .where(eq(people.email, email('same')))
    const held = await world.db
      .select()
      .from(grants)
      .where(eq(grants.personId, person?.id as string))
    // Whoever came while another was paying stands as paid twice; one alone opens it.
    expect(held).toHaveLength(1)
  })

  it('one whose card is declined holds up none of the others', async () => {
    const all = await Promise.all(times(6, (who) => buy(who, who === 2 ? 'declined' : 'pays')))
    expect(all.map(({ state }) => state)).toEqual(times(6, (who) => (who === 2 ? 'declined' : 'paid')))
    expect((await storedOf(all[2]?.orderId as string)).grants).toEqual([])
  })

  it('of different things each stands in its own order', async () => {
    const other = await world.sell(4300, `Paper ${n}`, { taxRate: 1000 })
    const mixed = await Promise.all(
      times(8, (who) => {
        const of = who % 2 === 0 ? book : other
        const pay = who % 2 === 0 ? 12_900 : 4300
        return world.buy(of.slug, world.request(of.offerId, pay, { email: email(who) }), `mixed ${n} ${who}`)
      }),
    )
    for (const [who, { orderId }] of mixed.entries()) {
      const [line] = (await world.orderOf(orderId))?.quote.lines ?? []
      expect(line?.payments.map(({ pay }) => pay)).toEqual([who % 2 === 0 ? 12_900 : 4300])
      const { payments: paid } = await storedOf(orderId)
      expect(paid.map(({ pay }) => pay)).toEqual([who % 2 === 0 ? 12_900 : 4300])
    }
  })
})

describe('what gateways say at the same moment', () => {
  const waiting = (count: number) => Promise.all(times(count, (who) => buy(who, 'confirms')))
  const attemptOf = async (orderId: string) => (await world.attemptsOf(orderId))[0]?.id as string

  it('is settled once each, told three times over and in any order', async () => {
    const all = await waiting(6)
    const tries = await Promise.all(all.map(({ orderId }) => attemptOf(orderId)))
    await Promise.all(
      [...tries, ...[...tries].reverse(), ...tries].map((id) =>
        settleAttempt(world.services, id, collected(12_900, `ref ${id}`), 'event'),
      ),
    )
    for (const { orderId } of all) {
      const stored = await storedOf(orderId)
      expect(stored).toMatchObject({ state: 'paid', payments: [{ state: 'collected', fee: 31 }], grants: [{}] })
      expect(stored.journal.filter((what) => what === 'order-paid')).toHaveLength(1)
      expect(stored.messages.filter((kind) => kind === 'receipt')).toHaveLength(1)
      expect(stored.ledger.reduce((sum, [, amount]) => sum + Number(amount), 0)).toBe(0)
    }
  })

  it('another sum or currency than was asked for settles nothing, and holds up none of the others', async () => {
    const all = await waiting(4)
    const tries = await Promise.all(all.map(({ orderId }) => attemptOf(orderId)))
    const said = [
      collected(12_900, `r0 ${n}`),
      collected(12_899, `r1 ${n}`),
      collected(12_900, `r2 ${n}`, 'USD'),
      collected(12_900, `r3 ${n}`),
    ]
    await Promise.all(
      tries.map((id, index) => settleAttempt(world.services, id, said[index] as (typeof said)[0], 'event')),
    )
    const stored = await Promise.all(all.map(({ orderId }) => storedOf(orderId)))
    expect(stored.map(({ state }) => state)).toEqual(['paid', 'paying', 'paying', 'paid'])
    expect(stored.map(({ journal }) => journal.includes('attempt-mismatch'))).toEqual([false, true, true, false])
    expect(stored[1]?.ledger).toEqual([])
  })

  it('an order that somebody else holds is left to wait by itself', async () => {
    const all = await waiting(3)
    const tries = await Promise.all(all.map(({ orderId }) => attemptOf(orderId)))
    const held = all[1]?.orderId as string
    let free = () => {}
    const holding = world.db.transaction(async (tx) => {
      await tx.execute(sql`select 1 from orders where id = ${held} for update`)
      await new Promise<void>((done) => {
        free = done
      })
    })
    await new Promise((done) => setTimeout(done, 30))
    const settled = tries.map((id) => settleAttempt(world.services, id, collected(12_900, `held ${id}`), 'event'))
    await Promise.all([settled[0], settled[2]])
    expect((await storedOf(all[0]?.orderId as string)).state).toBe('paid')
    expect((await storedOf(all[2]?.orderId as string)).state).toBe('paid')
    free()
    await Promise.all([holding, ...settled])
    expect(await storedOf(held)).toMatchObject({ state: 'paid', grants: [{}] })
  })

  it('one that cannot be settled fails alone, and the others are paid', async () => {
    const all = await waiting(3)
    const tries = await Promise.all(all.map(({ orderId }) => attemptOf(orderId)))
    const said = collected(12_900, `fails ${n}`)
    const nobody = crypto.randomUUID()
    const results = await Promise.allSettled(
      [...tries, nobody].map((id) => settleAttempt(world.services, id, said, 'event')),
    )
    expect(results.map(({ status }) => status)).toEqual(['fulfilled', 'fulfilled', 'fulfilled', 'rejected'])
    for (const { orderId } of all) expect((await storedOf(orderId)).state).toBe('paid')
  })

  it('of two orders of one buyer only one is settled in a round: the second follows from the first', async () => {
    const [one, two] = [await buy('both', 'confirms', `a ${n}`), await buy('both', 'confirms', `b ${n}`)]
    const tries = [await attemptOf(one.orderId), await attemptOf(two.orderId)]
    const told = tries.map((attemptId) => ({
      attemptId,
      outcome: collected(12_900, attemptId),
      source: 'event' as const,
    }))
    const left = await settleCollected(world.services, told)
    expect(left).toHaveLength(1)
    await settleCollected(world.services, left)
    expect(
      [await world.duplicatesOf(one.orderId), await world.duplicatesOf(two.orderId)].flat().filter(Boolean),
    ).toHaveLength(1)
  })
})
