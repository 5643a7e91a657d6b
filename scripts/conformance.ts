import { CHECKS } from '../src/gateways/conformance.ts'
import { thistleHarness } from '../src/testing/standins.ts'

/** `npm run conformance -- <adapter>`: holds an adapter against the contract, check by check. */
const HARNESSES = { thistle: thistleHarness }

const name = process.argv[2] ?? ''
const makeHarness = HARNESSES[name as keyof typeof HARNESSES]
if (!makeHarness) {
  console.error(`Say which adapter: ${Object.keys(HARNESSES).join(', ')}.`)
  process.exit(2)
}
const { harness, close } = await makeHarness()
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
