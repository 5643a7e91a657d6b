import { type ChildProcess, spawn } from 'node:child_process'
import { cpSync, createWriteStream, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import { type Config, readConfig } from '../src/server/platform/config.ts'
import { buildWhatChanged } from './build.ts'
import { copyDatabase, dropDatabase } from './databases.ts'
import { startCluster } from './postgres.ts'
import { prepareData } from './prepare.ts'
import { bundleParts, endPart, type Part, startPart } from './processes.ts'

/** A running product, as the tests need it. */
export interface TestServer {
  origin: string
  standins: string
  databaseUrl: string
  dataDir: string
}

/** Starts products by {@link runAsked} in a process of its own. */
export async function startTestServers(
  kinds: readonly ('demo' | 'empty')[],
): Promise<{ servers: TestServer[]; end: () => Promise<void> }> {
  const child = spawn(
    process.execPath,
    ['--import', 'tsx', '--import', './scripts/testDay.mjs', 'scripts/testServer.ts', ...kinds],
    { stdio: ['ignore', 'pipe', 'inherit', 'ipc'] },
  )
  const end = () =>
    new Promise<void>((resolve) => {
      child.once('exit', () => resolve())
      child.kill('SIGTERM')
    })
  const servers = await new Promise<TestServer[]>((resolve, reject) => {
    let output = ''
    child.stdout?.on('data', (chunk: Buffer) => {
      output += chunk.toString()
      const ready = /^ready (.*)$/m.exec(output)
      if (ready) resolve(JSON.parse(ready[1] as string) as TestServer[])
    })
    child.once('exit', (code) => reject(new Error(`The test servers ended (status ${code}):\n${output}`)))
  })
  return { servers, end }
}

const BUNDLED = '.data/test-parts'
const FIRST_PORT = Number(process.env.TEST_PORT ?? 7410)
/** What is loaded once, and copied for each product that has the demo school. */
const LOADED = 'acorn_e2e'

/**
 * Whole products for browser tests, each with ports, a database and files of its own that go when it ends: one for each
 * word, `demo` with the demo school, `empty` without. Says "ready" when all are, and ends with its parent.
 */
async function runAsked(kinds: readonly string[]): Promise<void> {
  const cluster = await startCluster({
    dir: '.data/test-postgres',
    port: Number(process.env.TEST_DATABASE_PORT ?? 7430),
    fsync: false,
  })
  const dirs: string[] = []
  const newDir = () => {
    const dir = mkdtempSync(join(tmpdir(), 'young-acorn-'))
    dirs.push(dir)
    return dir
  }
  const settings = kinds.map((kind, index) => settingsFor(cluster.url(`${LOADED}_${index}`), newDir(), index, kind))
  const [parts] = await Promise.all([
    bundleParts(BUNDLED),
    buildWhatChanged('.data/test-dist'),
    prepareAll(settings, cluster.url(LOADED), newDir),
  ])
  const children: ChildProcess[] = []
  for (const one of settings) children.push(...(await startProduct(parts, one)))
  const servers = settings.map(({ config, env }): TestServer => {
    const { origin, standinsOrigin: standins, databaseUrl } = config
    return { origin, standins, databaseUrl, dataDir: env.DATA_DIR }
  })
  console.log(`ready ${JSON.stringify(servers)}`)
  const stop = async () => {
    await Promise.all(children.map(endPart))
    for (const dir of dirs) rmSync(dir, { recursive: true, force: true })
    cluster.stop()
    process.exit(0)
  }
  process.on('SIGTERM', stop)
  process.on('disconnect', stop)
}

type Settings = ReturnType<typeof settingsFor>

function settingsFor(databaseUrl: string, dataDir: string, index: number, kind: string) {
  // So far apart that each has its three ports between.
  const base = FIRST_PORT + 100 * index
  const env = {
    ...process.env,
    PORT: String(base),
    STANDINS_PORT: String(base + 10),
    MAIL_PORT: String(base + 15),
    DATABASE_URL: databaseUrl,
    DATABASE_CONNECTIONS: '6',
    DATA_DIR: dataDir,
    LIMITS: '1000',
    // Tests have a day of their own.
    CLOCK_TOLERANCE: 'Infinity',
    // What is started here lives on that day too.
    NODE_OPTIONS: `--import=${pathToFileURL('scripts/testDay.mjs').href}`,
    DIST: '.data/test-dist',
    STANDINS_DATA: join(dataDir, 'standins'),
  }
  return { env, config: readConfig(env), isDemo: kind === 'demo' }
}

/** Loads the demo school once, and copies it for each that has it. */
async function prepareAll(all: readonly Settings[], loadedUrl: string, newDir: () => string): Promise<void> {
  const demos = all.filter(({ isDemo }) => isDemo)
  const [first] = demos
  const loaded = first && settingsFor(loadedUrl, newDir(), all.indexOf(first), 'demo')
  if (loaded) await prepare(loaded.config, loaded.env.STANDINS_DATA, true)
  for (const { config, env, isDemo } of all) {
    if (isDemo && loaded) {
      await dropDatabase(config.databaseUrl)
      await copyDatabase(config.databaseUrl, LOADED)
      cpSync(loaded.env.DATA_DIR, env.DATA_DIR, { recursive: true })
      moveStandins(env.STANDINS_DATA, loaded.config, config)
    } else await prepare(config, env.STANDINS_DATA, false)
  }
}

async function prepare(config: Config, standinsData: string, wantsDemo: boolean): Promise<void> {
  await dropDatabase(config.databaseUrl)
  await prepareData(config, standinsData, wantsDemo)
}

/** Rewrites the addresses in the stand-ins' files: where events are sent, and the links in stored mail. */
function moveStandins(dir: string, from: Config, to: Config): void {
  for (const name of readdirSync(dir)) {
    const file = join(dir, name)
    const text = readFileSync(file, 'utf8')
    writeFileSync(file, text.replaceAll(from.origin, to.origin).replaceAll(from.standinsOrigin, to.standinsOrigin))
  }
}

async function startProduct(parts: readonly Part[], { env }: Settings): Promise<ChildProcess[]> {
  const children = await Promise.all(parts.map((part) => startPart(part, env)))
  // What the processes say is kept beside their data, so that a test can search it.
  const log = createWriteStream(join(env.DATA_DIR, 'product.log'), { flags: 'a' })
  for (const child of children) {
    child.stderr?.pipe(log, { end: false })
    child.stdout?.pipe(log, { end: false })
  }
  log.write('The product runs.\n')
  return children
}

if (process.argv[1]?.endsWith('testServer.ts')) await runAsked(process.argv.slice(2))
