import { spawnSync } from 'node:child_process'

/**
 * `npm run test:days -- [day…]`: unit, service and contract tests and all journeys on days on which calendars go wrong: ends
 * of months, 29 February, the days before both changes of the clock, the last and the first of a year's last month; or on
 * the days that are named.
 */
const DAYS = [
  '2027-01-31',
  '2027-02-28',
  '2028-02-29',
  '2027-03-27',
  '2027-10-30',
  '2026-12-01',
  '2026-12-31',
  '2026-11-30',
]
const named = process.argv.slice(2)
const failed: string[] = []
for (const day of named.length > 0 ? named : DAYS) {
  for (const runner of [
    ['vitest', 'run', '--reporter=dot'],
    ['playwright', 'test'],
  ]) {
    console.log(`\n— ${day}: ${runner[0]}`)
    const { status } = spawnSync('npx', runner, { stdio: 'inherit', env: { ...process.env, TEST_DAY: day } })
    if (status !== 0) failed.push(`${day} (${runner[0]})`)
  }
}
console.log(failed.length === 0 ? 'All days are good.' : `FAILED: ${failed.join(', ')}`)
process.exit(failed.length === 0 ? 0 : 1)
