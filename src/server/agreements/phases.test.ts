import { eq, sql } from 'drizzle-orm'
import { expect, it } from 'vitest'
import { currentPhase } from '../../core/collecting/phase.ts'
import { advance, agree } from '../../testing/overTime.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { MONTHLY, THREE_PARTS, WHILE_PAYING } from '../../testing/terms.ts'
import { agreements, orders, payments } from '../db/schema/index.ts'
import { readAgreement } from './agreements.ts'
import { fillPhases } from './phases.ts'

const world = ownWorld()
const NONE = { version: 1 as const, phases: [] }

it('an agreement of an earlier version gets the phase that it would begin with today, and charges by it', async () => {
  const monthly = await agree(world, MONTHLY, { card: 'pays', access: WHILE_PAYING })
  const parts = await agree(world, THREE_PARTS, { card: 'pays' })
  const before = await world.db.select({ phases: agreements.phases }).from(agreements).orderBy(agreements.id)
  expect(before.map(({ phases }) => currentPhase(phases).terms.kind).sort()).toEqual(['installments', 'subscription'])
  await world.db.update(agreements).set({ phases: NONE })
  await expect(readAgreement(world.db, monthly.id)).rejects.toThrow('no phase')
  expect([await fillPhases(world.db), await fillPhases(world.db)]).toEqual([2, 0])
  expect(await world.db.select({ phases: agreements.phases }).from(agreements).orderBy(agreements.id)).toEqual(before)

  // From now on the order's quote is not asked.
  await world.db.update(orders).set({ quoteInput: { version: 1, document: {} } })
  const listed = () =>
    world.db.$count(payments, eq(payments.lineId, sql`(select line_id from agreements where id = ${monthly.id})`))
  const ahead = await listed()
  await advance(world, 62)
  expect((await readAgreement(world.db, monthly.id)).agreement).toMatchObject({
    state: 'active',
    collected: 3,
  })
  expect((await readAgreement(world.db, parts.id)).agreement).toMatchObject({ state: 'completed' })
  expect(await listed()).toBeGreaterThan(ahead)
})
