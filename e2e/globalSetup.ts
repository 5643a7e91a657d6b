import type { FullConfig } from '@playwright/test'
import { startTestServers } from '../scripts/testServer.ts'

/**
 * Starts a product with the demo school for each worker, one whose clock is moved, and an empty one; ends them after the
 * last test.
 */
export default async function setup({ workers }: FullConfig) {
  const demos = Array.from({ length: workers + 1 }, () => 'demo' as const)
  const { servers, end } = await startTestServers([...demos, 'empty'])
  const empty = servers.pop()
  const moved = servers.pop()
  process.env.ACORN = JSON.stringify(servers)
  process.env.ACORN_MOVED = JSON.stringify(moved)
  process.env.ACORN_EMPTY = JSON.stringify(empty)
  return end
}
