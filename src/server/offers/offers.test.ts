import { asc, eq } from 'drizzle-orm'
import { expect, it } from 'vitest'
import { ownWorld } from '../../testing/ownWorld.ts'
import { offers } from '../db/schema/index.ts'
import { duplicateOffer } from './service.ts'

const world = ownWorld()

it('a copy of an offer stands right behind it, unpublished, and the others keep their order', async () => {
  const { courseId, offerId: first } = await world.sell(4900, 'Copied')
  const second = await world.offer(courseId, 5900)
  const third = await world.offer(courseId, 6900)
  const { id: copy } = await duplicateOffer(world.services, first)
  const rows = await world.db.select().from(offers).where(eq(offers.productId, courseId)).orderBy(asc(offers.position))
  expect(rows.map(({ id }) => id)).toEqual([first, copy, second, third])
  expect(new Set(rows.map(({ position }) => position)).size).toBe(4)
  expect(rows[1]).toMatchObject({ live: null, draft: { name: `${rows[0]?.draft.name} (copy)` } })
})
