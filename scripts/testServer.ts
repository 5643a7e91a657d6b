import { createWriteStream, mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import { readConfig } from '../src/server/platform/config.ts'
import { buildWhatChanged } from './build.ts'
import { dropDatabase } from './databases.ts'
import { startCluster } from './postgres.ts'
import { prepareData } from './prepare.ts'
import { endPart, PARTS, startPart } from './processes.ts'

/**
 * The whole product for browser tests, on ports of its own and with data that goes when it ends.
 * `empty` leaves out the demo school. Says "ready" when it is, and ends with its parent.
 */
const isEmpty = process.argv.includes('empty')
const base = isEmpty ? 7510 : 7410
const cluster = await startCluster({
  dir: '.data/test-postgres',
  port: Number(process.env.TEST_DATABASE_PORT ?? 7430),
  fsync: false,
})
const dataDir = mkdtempSync(join(tmpdir(), 'young-acorn-'))
const env = {
  ...process.env,
  PORT: String(base),
  STANDINS_PORT: String(base + 10),
  MAIL_PORT: String(base + 15),
  DATABASE_URL: cluster.url(isEmpty ? 'acorn_e2e_empty' : 'acorn_e2e'),
  DATA_DIR: dataDir,
  LIMITS: '1000',
  // Tests have a day of their own.
  CLOCK_TOLERANCE: 'Infinity',
  // What is started here lives on that day too.
  NODE_OPTIONS: `--import=${pathToFileURL('scripts/testDay.mjs').href}`,
  DIST: '.data/test-dist',
  STANDINS_DATA: join(dataDir, 'standins'),
}
const config = readConfig(env)
await dropDatabase(config.databaseUrl)
await buildWhatChanged(config.distDir)
await prepareData(config, env.STANDINS_DATA, !isEmpty)

const children = await Promise.all(PARTS.map((part) => startPart(part, env)))
// What the processes say is kept beside their data, so that a test can search it.
const log = createWriteStream(join(dataDir, 'product.log'), { flags: 'a' })
for (const child of children) {
  child.stderr?.pipe(process.stderr)
  child.stderr?.pipe(log, { end: false })
  child.stdout?.pipe(log, { end: false })
}
log.write('The product runs.\n')
console.log(
  `ready ${JSON.stringify({ origin: config.origin, standins: config.standinsOrigin, databaseUrl: config.databaseUrl, dataDir })}`,
)

const stop = async () => {
  await Promise.all(children.map(endPart))
  rmSync(dataDir, { recursive: true, force: true })
  cluster.stop()
  process.exit(0)
}
process.on('SIGTERM', stop)
process.on('disconnect', stop)
