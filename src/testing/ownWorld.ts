import { afterAll, afterEach, beforeAll, beforeEach } from 'vitest'
import { GOOD_WEATHER } from '../standins/world.ts'
import { openWorld, type World } from './world.ts'

/**
 * A world for one test file, opened before its tests and closed after them. Each test leaves clock and weather as it
 * found them, also where it fails. It is there from the first `beforeAll` on, not while the file is read.
 */
export function ownWorld(): World {
  const world = {} as World
  let offsetMs = 0
  beforeAll(async () => {
    Object.assign(world, await openWorld())
  })
  beforeEach(() => {
    offsetMs = world.clock.offsetMs
  })
  afterEach(() => {
    world.clock.offsetMs = offsetMs
    Object.assign(world.standins.world, GOOD_WEATHER)
  })
  afterAll(() => world.close())
  return world
}
