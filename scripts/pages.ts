import { spawnSync } from 'node:child_process'

/** `npm run pages -- 500 [seed]`: so many random checkout pages, each looked at for barriers and width in the browser. */
const [count = '50', seed = String(Date.now() % 1_000_000)] = process.argv.slice(2)
if (!/^\d+$/.test(count) || !/^\d+$/.test(seed)) {
  console.error('Say how many pages, and the seed if you like: npm run pages -- 500 1')
  process.exit(2)
}
const env = { ...process.env, RANDOM_PAGES: count, RANDOM_SEED: seed }
const args = ['playwright', 'test', '--no-deps', '--project', 'journeys', '--retries=0', '--reporter=list', 'anyPage']
process.exit(spawnSync('npx', args, { stdio: 'inherit', env }).status ?? 1)
