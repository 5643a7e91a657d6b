import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { thistleHarness } from '../../testing/standins.ts'
import { CHECKS, type Harness } from '../conformance.ts'
import { thistleAdapter } from './adapter.ts'

describe('Thistle Card keeps the contract', () => {
  let harness: Harness
  let close: () => void
  beforeAll(async () => {
    ;({ harness, close } = await thistleHarness())
  })
  afterAll(() => close())
  it.each(CHECKS.map((check) => [check.name, check] as const))('%s', async (_name, check) => {
    await check.run(harness)
  })
})

it('calls a gateway that is not there unreachable', async () => {
  const adapter = thistleAdapter({ origin: 'http://127.0.0.1:1', parentOrigin: 'http://localhost', timeoutMs: 300 })
  await expect(adapter.lookUp({ account: 'a', secret: 's' }, 'k')).rejects.toThrow(/did not answer/)
})
