import { expect, it } from 'vitest'
import { ownWorld } from '../../testing/ownWorld.ts'
import { getSchool } from '../school/service.ts'
import { composeBundleGrew } from './compose.ts'

const world = ownWorld()

it('a course that joined a bundle is led to, and a password first by who has none', async () => {
  const school = await getSchool(world.db)
  const facts = { course: 'Boxes', bundle: 'Everything', opens: null, learnLink: 'http://x/learn/boxes' }
  const without = composeBundleGrew(school, 'Ada', facts, 'http://x/password/one')
  expect(without.text).toContain('http://x/learn/boxes')
  expect(without.text).toContain('http://x/password/one')
  expect(composeBundleGrew(school, 'Ada', facts, null).text).not.toContain('password')
})
