import { eq, inArray } from 'drizzle-orm'
import { describe, expect, it } from 'vitest'
import { type Agreed, agree } from '../../testing/overTime.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { MONTHLY, THREE_PARTS } from '../../testing/terms.ts'
import { fillPhases } from '../agreements/phases.ts'
import { agreements, attempts, grants, journal, ledger, messages, payments } from '../db/schema/index.ts'
import { cancelAgreement } from './actions.ts'
import { agreementsDue, collectAgreement, collectAgreements } from './collect.ts'

const world = ownWorld()
const DAY_MS = 86_400_000

/** All that is stored of an order, without what differs between any two of them. */
async function storedOf({ orderId, id, lineId }: Agreed) {
  const { db } = world
  const [row] = await db.select().from(agreements).where(eq(agreements.id, id))
  const paid = await db.select().from(payments).where(eq(payments.lineId, lineId)).orderBy(payments.due, payments.n)
  const tries = await db.select().from(attempts).where(eq(attempts.orderId, orderId)).orderBy(attempts.startedAt)
  const [grant] = await db.select().from(grants).where(eq(grants.lineId, lineId))
  const moved = await db.select().from(ledger).where(eq(ledger.orderId, orderId)).orderBy(ledger.transaction, ledger.id)
  const notified = await db.select().from(messages).where(eq(messages.orderId, orderId))
  const events = await db.select().from(journal).where(eq(journal.orderId, orderId)).orderBy(journal.id)
  return {
    row: row && {
      ...row,
      ...{ id: '', personId: '', orderId: '', lineId: '', savedMethod: '', createdAt: null },
      phases: row.phases.phases.map(({ courses, ...phase }) => ({
        ...phase,
        weights: courses.map(({ weight }) => weight),
      })),
    },
    paid: paid.map(({ n, due, pay, state, fee, attemptId }) => [n, due, pay, state, fee, attemptId !== null]),
    tries: tries.map(({ fromN, toN, day, madeBy, amount, state, fee, method }) => {
      return [fromN, toN, day, madeBy, amount, state, fee, method]
    }),
    closes: [grant?.closes, grant?.suspendedFrom, grant?.endedAt],
    moved: moved.map(({ day, kind, account, amount }) => [day, kind, account.replace(/over-time.*/, ''), amount]),
    notified: notified.map(({ kind, state }) => [kind, state]),
    events: events.map(({ what }) => what),
  }
}

const collect = async () => {
  const failed = await collectAgreements(world.services, await agreementsDue(world.services, 'practice'))
  expect([...failed]).toEqual([])
}

describe('many at once', () => {
  it.each([
    ['a subscription', MONTHLY, 'pays'],
    ['a plan', THREE_PARTS, 'pays'],
    ['a plan whose card is declined', THREE_PARTS, 'pays-once'],
  ])('%s stands afterwards as one that was collected alone', async (_name, terms, card) => {
    const [alone, ...together] = [
      await agree(world, terms, { card }),
      await agree(world, terms, { card }),
      await agree(world, terms, { card }),
    ]
    for (const days of [32, 31, 31]) {
      world.clock.offsetMs += days * DAY_MS
      await collectAgreement(world.services, alone?.id as string)
      await collect()
    }
    const expected = await storedOf(alone as Agreed)
    for (const one of together) expect(await storedOf(one)).toEqual(expected)
  })

  it('what is due twice is collected twice; what was cancelled, shut or has no method is done by itself', async () => {
    const twice = await agree(world, { ...MONTHLY, every: { count: 1, unit: 'week' } })
    const plain = await agree(world, MONTHLY)
    const ended = await agree(world, MONTHLY)
    const shut = await agree(world, MONTHLY)
    const bare = await agree(world, MONTHLY)
    await cancelAgreement(world.services, ended.id, 'period-end', 'buyer')
    await world.db.update(grants).set({ endedAt: world.services.now() }).where(eq(grants.lineId, shut.lineId))
    await world.db.update(agreements).set({ savedMethod: null }).where(eq(agreements.id, bare.id))
    world.clock.offsetMs += 32 * DAY_MS
    await collect()
    const [of, tried] = [
      async ({ id }: Agreed) => (await world.db.select().from(agreements).where(eq(agreements.id, id)))[0],
      async ({ id }: Agreed) => world.db.$count(attempts, eq(attempts.agreementId, id)),
    ]
    expect((await of(twice))?.collected).toBe(5)
    expect((await of(plain))?.collected).toBe(2)
    expect([(await of(ended))?.state, await tried(ended)]).toEqual(['cancelled', 0])
    expect([(await of(shut))?.state, await tried(shut)]).toEqual(['cancelled', 0])
    expect(await of(bare)).toMatchObject({ collected: 1, tries: 1 })
  })

  it('by several workers at the same time, each is charged once', async () => {
    const all = await Promise.all([1, 2, 3, 4].map(() => agree(world, MONTHLY)))
    world.clock.offsetMs += 32 * DAY_MS
    await Promise.all([1, 2, 3].map(collect))
    const ids = all.map(({ id }) => id)
    const tries = await world.db.select().from(attempts).where(inArray(attempts.agreementId, ids))
    expect(tries.map(({ state }) => state)).toEqual(['collected', 'collected', 'collected', 'collected'])
    const taken = [...world.standins.books.payments.values()].filter(({ key }) => tries.some((one) => one.key === key))
    expect(taken).toHaveLength(4)
  })
})

describe('one that cannot be read among them', () => {
  it('fails alone, and is named; all others are collected', async () => {
    const [good, bad, other] = [await agree(world, MONTHLY), await agree(world, MONTHLY), await agree(world, MONTHLY)]
    await world.db
      .update(agreements)
      .set({ phases: { version: 1, phases: [] } })
      .where(eq(agreements.id, bad.id))
    world.clock.offsetMs += 32 * DAY_MS
    const failed = await collectAgreements(world.services, await agreementsDue(world.services, 'practice'))
    expect([...failed.keys()]).toEqual([bad.id])
    for (const { id } of [good, other]) {
      expect((await world.db.select().from(agreements).where(eq(agreements.id, id)))[0]?.collected).toBe(2)
    }
    expect(await fillPhases(world.db)).toBe(1)
  })
})

describe('a gateway that takes long to answer for one', () => {
  it('keeps no other from being settled', async () => {
    const all = [await agree(world, MONTHLY), await agree(world, MONTHLY), await agree(world, MONTHLY)]
    world.clock.offsetMs += 32 * DAY_MS
    const { gateways } = world.services
    let answer = () => {}
    const held = new Promise<void>((resolve) => {
      answer = resolve
    })
    let called = 0
    const services = {
      ...world.services,
      gateways: new Map(
        [...gateways].map(([id, adapter]) => [
          id,
          {
            ...adapter,
            begin: async (...args: Parameters<typeof adapter.begin>) => {
              if (++called === 2) await held
              return adapter.begin(...args)
            },
          },
        ]),
      ),
    }
    const running = collectAgreements(
      services,
      all.map(({ id }) => id),
    )
    const collected = async () => {
      const rows = await world.db
        .select()
        .from(agreements)
        .where(
          inArray(
            agreements.id,
            all.map(({ id }) => id),
          ),
        )
      return rows.filter((row) => row.collected === 2).length
    }
    for (let tries = 0; (await collected()) < 2 && tries < 100; tries++)
      await new Promise((next) => setTimeout(next, 20))
    expect(await collected()).toBe(2)
    answer()
    expect([...(await running)]).toEqual([])
    expect(await collected()).toBe(3)
  })
})
