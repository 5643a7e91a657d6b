import { asc, eq, inArray, sql } from 'drizzle-orm'
import { beforeEach, describe, expect, it } from 'vitest'
import { ownWorld } from '../../testing/ownWorld.ts'
import { eventually } from '../../testing/world.ts'
import { transaction } from '../db/client.ts'
import { grants, ledger, messages, orders, payments, people } from '../db/schema/index.ts'
import { settleAttempt, settleAttempts } from '../fulfilment/settle.ts'
import { failedBatches } from '../platform/batch.ts'

/** What is placed and paid at the same moment comes out as one after another. */
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
  const waiting = (count: number, of = '') => Promise.all(times(count, (who) => buy(`${of}${who}`, 'confirms')))
  const attemptOf = async (orderId: string) => (await world.attemptsOf(orderId))[0]?.id as string
  const settle = (tries: readonly string[], outcomeOf = (id: string) => collected(12_900, `ref ${id}`)) =>
    settleAttempts(
      world.services,
      tries.map((attemptId) => ({ attemptId, outcome: outcomeOf(attemptId), source: 'event' as const })),
    )

  it('is settled once each, told three times over and in any order, one by one or many at once', async () => {
    const all = await waiting(6)
    const tries = await Promise.all(all.map(({ orderId }) => attemptOf(orderId)))
    const orderly = [...tries, ...tries]
    const results = await Promise.all([
      settle(orderly),
      settle(orderly.reverse()),
      ...tries.map((id) => settleAttempt(world.services, id, collected(12_900, `ref ${id}`), 'event')),
    ])
    expect(results.slice(0, 2)).toEqual([new Map(), new Map()])
    for (const { orderId } of all) {
      const stored = await storedOf(orderId)
      expect(stored).toMatchObject({ state: 'paid', payments: [{ state: 'collected', fee: 31 }], grants: [{}] })
      expect(stored.journal.filter((what) => what === 'order-paid')).toHaveLength(1)
      expect(stored.messages.filter((kind) => kind === 'receipt')).toHaveLength(1)
      expect(stored.ledger.reduce((sum, [, amount]) => sum + Number(amount), 0)).toBe(0)
    }
  })

  it('of every kind at once comes out as each alone', async () => {
    const outcomes = [
      collected(12_900, 'mixed'),
      { state: 'declined' as const, reference: 'mixed', reason: 'refused' as const, method: null },
      { state: 'abandoned' as const },
      { state: 'awaited' as const, reference: 'mixed', method: null },
      { state: 'absent' as const },
    ]
    const [alone, together] = [await waiting(5), await waiting(5, 'together')]
    for (const [index, outcome] of outcomes.entries()) {
      await settleAttempt(world.services, await attemptOf(alone[index]?.orderId as string), outcome, 'event')
    }
    const failed = await settleAttempts(
      world.services,
      await Promise.all(
        together.map(async ({ orderId }, index) => ({
          attemptId: await attemptOf(orderId),
          outcome: outcomes[index] as (typeof outcomes)[0],
          source: 'event' as const,
        })),
      ),
    )
    expect(failed).toEqual(new Map())
    const [one, many] = await Promise.all(
      [alone, together].map((all) => Promise.all(all.map(({ orderId }) => storedOf(orderId)))),
    )
    expect(many).toEqual(one)
    expect(one?.map(({ state }) => state)).toEqual(['paid', 'open', 'open', 'paying', 'paying'])
  })

  it('another sum or currency than was asked for settles nothing, and holds up none of the others', async () => {
    const all = await waiting(4)
    const tries = await Promise.all(all.map(({ orderId }) => attemptOf(orderId)))
    const said = new Map([
      [tries[1], collected(12_899, `r1 ${n}`)],
      [tries[2], collected(12_900, `r2 ${n}`, 'USD')],
    ])
    expect(await settle(tries, (id) => said.get(id) ?? collected(12_900, id))).toEqual(new Map())
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
    let isHeld = () => {}
    const begun = new Promise<void>((done) => {
      isHeld = done
    })
    const holding = transaction(world.db, async (tx) => {
      await tx.execute(sql`select 1 from orders where id = ${held} for update`)
      isHeld()
      await new Promise<void>((done) => {
        free = done
      })
    })
    await begun
    const settling = settle(tries)
    const stateOf = async (index: number) => (await storedOf(all[index]?.orderId as string)).state
    await eventually(async () => (await stateOf(0)) === 'paid' && (await stateOf(2)) === 'paid')
    expect(await stateOf(1)).toBe('paying')
    free()
    await holding
    expect(await settling).toEqual(new Map())
    expect(await storedOf(held)).toMatchObject({ state: 'paid', grants: [{}] })
  })

  it('one that cannot be settled fails alone, the others are paid, and the batch that failed is counted', async () => {
    const all = await waiting(3)
    const tries = await Promise.all(all.map(({ orderId }) => attemptOf(orderId)))
    const nobody = crypto.randomUUID()
    const before = failedBatches('settling')
    const failed = await settle([tries[0] as string, nobody, ...tries.slice(1)])
    expect([...failed.keys()]).toEqual([nobody])
    expect(String(failed.get(nobody))).toContain(nobody)
    expect(failedBatches('settling')).toBe(before + 1)
    for (const { orderId } of all) expect((await storedOf(orderId)).state).toBe('paid')
    await expect(settleAttempt(world.services, nobody, collected(12_900, 'x'), 'event')).rejects.toThrow(nobody)
  })

  it('of two orders of one buyer the second follows from the first, and stands as paid twice', async () => {
    const [one, two] = [await buy('both', 'confirms', `a ${n}`), await buy('both', 'confirms', `b ${n}`)]
    expect(await settle([await attemptOf(one.orderId), await attemptOf(two.orderId)])).toEqual(new Map())
    expect(await world.duplicatesOf(one.orderId)).toEqual([null])
    expect(await world.duplicatesOf(two.orderId)).toEqual([one.orderId])
  })
})
