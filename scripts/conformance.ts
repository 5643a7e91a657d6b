import { CHECKS } from '../src/gateways/conformance.ts'
import { HARNESS_NAMES, makeHarness } from '../src/testing/standins.ts'

/** `npm run conformance -- <adapter>`: holds an adapter against the contract, check by check. */
const name = process.argv[2] ?? ''
if (!HARNESS_NAMES.includes(name)) {
  console.error(`Say which adapter: ${HARNESS_NAMES.join(', ')}.`)
  process.exit(2)
}
const { harness, close } = await makeHarness(name)
let failed = 0
for (const check of CHECKS) {
  try {
    await check.run(harness)
    console.log(`holds   ${check.name}`)
  } catch (error) {
    failed++
    console.log(`FAILS   ${check.name}: ${error instanceof Error ? error.message : error}`)
  }
}
close()
console.log(`${CHECKS.length - failed} of ${CHECKS.length} hold`)
process.exit(failed > 0 ? 1 : 0)
