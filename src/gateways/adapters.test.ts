import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { HARNESS_NAMES, makeHarness } from '../testing/standins.ts'
import { CHECKS, type Harness } from './conformance.ts'
import { allGateways } from './registry.ts'

describe.each(HARNESS_NAMES)('%s keeps the contract', (name) => {
  let harness: Harness
  let close: () => void
  beforeAll(async () => {
    ;({ harness, close } = await makeHarness(name))
  })
  afterAll(() => close())
  it.each(CHECKS.map((check) => [check.name, check] as const))('%s', async (_name, check) => {
    await check.run(harness)
  })
})

const nowhere = allGateways('http://127.0.0.1:1', 'http://localhost', 60_000)

it('every gateway that ships is held against the contract', () => {
  expect([...nowhere.keys()]).toEqual(HARNESS_NAMES)
})

it.each([...nowhere.values()].map((adapter) => [adapter.capabilities.name, adapter] as const))(
  '%s that is not there is called unreachable',
  async (_name, adapter) => {
    await expect(adapter.lookUp({ account: 'a', secret: 's' }, 'k')).rejects.toThrow(/did not answer/)
  },
)
