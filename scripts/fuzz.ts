import { parseArgs } from 'node:util'
import { fuzz } from '../src/testing/fuzz/fuzz.ts'
import { fuzzTarget } from '../src/testing/fuzz/school.ts'
import startTestCluster from '../src/testing/globalSetup.ts'
import { openWorld } from '../src/testing/world.ts'

/**
 * Sends made-up requests to every address as nobody, a buyer and the creator, and fails where one is answered 500 or
 * not at all: `npm run fuzz -- --requests 100000 --seed 1`.
 */
const { values } = parseArgs({
  options: { requests: { type: 'string', default: '10000' }, seed: { type: 'string', default: '1' } },
})
const BATCH = 5000

const stop = await startTestCluster()
const world = await openWorld()
const target = await fuzzTarget(world)
const began = Date.now()
const statuses: Record<string, number> = {}
const broken: string[] = []
let sent = 0
for (let batch = 0; sent < Number(values.requests); batch++) {
  const requests = Math.min(BATCH, Number(values.requests) - sent)
  const found = await fuzz(target, { requests, seed: Number(values.seed) * 1000 + batch })
  sent += requests
  for (const [status, count] of Object.entries(found.statuses)) statuses[status] = (statuses[status] ?? 0) + count
  broken.push(...found.broken)
  console.log(`${sent} sent, ${broken.length} broken`)
}
console.log(statuses, `${Math.round(sent / ((Date.now() - began) / 1000))} requests a second`)
for (const request of broken) console.error(request)
await world.close()
stop()
process.exit(broken.length > 0 ? 1 : 0)
