import { parseArgs } from 'node:util'
import { setFlagsFromString } from 'node:v8'
import { runInNewContext } from 'node:vm'
import { fuzz } from '../src/testing/fuzz/fuzz.ts'
import { fuzzTarget } from '../src/testing/fuzz/school.ts'
import startTestCluster from '../src/testing/globalSetup.ts'
import { openWorld } from '../src/testing/world.ts'

/**
 * Sends made-up requests to every address as nobody, a buyer and the creator, and fails where one is answered 500 or
 * not at all: `npm run fuzz -- --requests 100000 --seed 1`. With `--valid` they are as who may ask sends them, and it fails
 * where the memory that is held after a forced collection has grown by over a tenth since the first tenth of them.
 */
const { values } = parseArgs({
  options: {
    requests: { type: 'string', default: '10000' },
    seed: { type: 'string', default: '1' },
    valid: { type: 'boolean', default: false },
  },
})
const BATCH = 5000
/** What is held may grow by so much after it is warm. */
const GROWTH = 1.1
setFlagsFromString('--expose-gc')
const collect = runInNewContext('gc') as () => void
/** MB that are held once all that nobody needs is collected. */
async function held(): Promise<number> {
  // What closes late, as sockets do, is gone by then.
  await new Promise((resolve) => setTimeout(resolve, 1000))
  for (let time = 0; time < 3; time++) collect()
  return process.memoryUsage().heapUsed / 2 ** 20
}

const stop = await startTestCluster()
const world = await openWorld()
const target = await fuzzTarget(world)
const began = Date.now()
const statuses: Record<string, number> = {}
const broken: string[] = []
let sent = 0
let [warm, last] = [0, 0]
for (let batch = 0; sent < Number(values.requests); batch++) {
  const requests = Math.min(BATCH, Number(values.requests) - sent)
  const found = await fuzz(target, { requests, seed: Number(values.seed) * 1000 + batch, isValid: values.valid })
  sent += requests
  for (const [status, count] of Object.entries(found.statuses)) statuses[status] = (statuses[status] ?? 0) + count
  broken.push(...found.broken)
  const mb = await held()
  if (sent <= Math.max(BATCH, Number(values.requests) / 10)) warm = mb
  last = mb
  console.log(`${sent} sent, ${broken.length} broken, ${mb.toFixed(1)} MB held`)
}
const hasGrown = values.valid && last > warm * GROWTH
if (hasGrown) console.error(`What is held grew from ${warm.toFixed(1)} to ${last.toFixed(1)} MB.`)
console.log(statuses, `${Math.round(sent / ((Date.now() - began) / 1000))} requests a second`)
for (const request of broken) console.error(request)
await world.close()
stop()
process.exit(broken.length > 0 || hasGrown ? 1 : 0)
