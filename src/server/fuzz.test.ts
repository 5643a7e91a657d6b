import { expect, it } from 'vitest'
import { fuzz } from '../testing/fuzz/fuzz.ts'
import { fuzzTarget } from '../testing/fuzz/school.ts'
import { ownWorld } from '../testing/ownWorld.ts'

const world = ownWorld()

it('whatever is sent by whoever is answered, and breaks nothing', { timeout: 180_000 }, async () => {
  const found = await fuzz(await fuzzTarget(world), { requests: 3000, seed: 2 })
  expect(found.broken).toEqual([])
  // It reaches what it is meant to reach: things are done, refused at their fields, and not found.
  for (const status of [200, 201, 400, 401, 404, 409, 422])
    expect([status, found.statuses[status] ?? 0]).not.toEqual([status, 0])
})
