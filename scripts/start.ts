import { mkdirSync, rmSync, statfsSync } from 'node:fs'
import { join } from 'node:path'
import { readDemo } from '../demo/school.ts'
import { readConfig } from '../src/server/platform/config.ts'
import { dropDatabase } from './databases.ts'
import { isPortTaken, SetUpError, startCluster } from './postgres.ts'
import { keepRunning, PARTS, runStep, type WatchedPart } from './processes.ts'

const HELP = `./start           sets up what is missing and runs Young Acorn with the demo school
./start --fresh   deletes all data and loads the demo school anew
./start --empty   runs without the demo school; the first visit sets up your own

PORT 7310, STANDINS_PORT 7320, MAIL_PORT 7325 and DATABASE_PORT 7330 can be set in the environment;
DATABASE_URL uses a PostgreSQL that already runs; DATA_DIR is where everything is kept (.data).`

const known = new Set(['--fresh', '--empty', '--help'])
const flags = new Set(process.argv.slice(2))
const parts: WatchedPart[] = []
let stopDatabase = () => {}
let isEnding = false

try {
  await start()
} catch (error) {
  await end()
  if (!(error instanceof SetUpError)) console.error(error)
  else console.error(`\n${error.message}`)
  process.exit(1)
}

async function start() {
  for (const flag of flags) if (!known.has(flag)) throw new SetUpError(`There is no ${flag}.\n\n${HELP}`)
  if (flags.has('--help')) {
    console.log(HELP)
    process.exit(0)
  }
  process.on('SIGINT', stop)
  process.on('SIGTERM', stop)
  const config = readConfig()
  mkdirSync(config.dataDir, { recursive: true })
  checkSpace(config.dataDir)
  await checkPorts(config.port, Number(new URL(config.standinsOrigin).port), config.mailPort)

  if (!process.env.DATABASE_URL) {
    const cluster = await startCluster({
      dir: join(config.dataDir, 'postgres'),
      port: Number(process.env.DATABASE_PORT ?? 7330),
    })
    stopDatabase = cluster.stop
  }
  const standinsData = join(config.dataDir, 'standins')
  if (flags.has('--fresh')) {
    console.log(
      `Deleting all courses, orders and people in ${shown(config.databaseUrl)}, and the stand-ins’ books and mailbox in ${standinsData}.`,
    )
    await dropDatabase(config.databaseUrl)
    rmSync(standinsData, { recursive: true, force: true })
  }
  await runStep(['scripts/build.ts'], { DIST: config.distDir })
  const wantsDemo = !flags.has('--empty')
  const isDemo = await runStep(['scripts/prepare.ts', standinsData, wantsDemo ? 'demo' : 'empty'])
  if (isDemo && !wantsDemo) {
    throw new SetUpError('The demo school is loaded here. ./start --fresh --empty deletes it and starts without it.')
  }

  const env = { ...process.env, STANDINS_DATA: standinsData, NODE_ENV: 'production' }
  await Promise.all(
    PARTS.map(async (part) => {
      parts.push(await keepRunning(part, env, (what) => console.error(what)))
    }),
  )
  announce(config.origin, config.standinsOrigin, isDemo)
}

async function checkPorts(port: number, standinsPort: number, mailPort: number) {
  const wanted: [number, string, string][] = [
    [port, 'The product', 'PORT'],
    [standinsPort, 'The stand-ins', 'STANDINS_PORT'],
    [mailPort, 'The mailbox', 'MAIL_PORT'],
  ]
  for (const [number, what, name] of wanted) {
    if (await isPortTaken(number))
      throw new SetUpError(
        `Port ${number} is in use. ${what} would listen there. End what runs there (another ./start?), or set ${name} to a free port.`,
      )
  }
}

function checkSpace(dir: string) {
  const { bavail, bsize } = statfsSync(dir)
  if (bavail * bsize < 300 * 1024 * 1024)
    throw new SetUpError(`The disk that holds ${dir} has less than 300 MB free. Make room, then start again.`)
}

function shown(databaseUrl: string): string {
  const url = new URL(databaseUrl)
  return `the database ${url.pathname.slice(1)} on ${url.host}`
}

function announce(origin: string, standins: string, isDemo: boolean) {
  const { creator } = readDemo().life
  const signIns = isDemo
    ? `\n  Sign in as the creator   ${creator.email}\n                           ${creator.password}\n  Sign in as a buyer       ida.brandner@post.example, the same password`
    : '\n  The first visit to the studio sets up the school.'
  console.log(`
Young Acorn runs.

  The studio               ${origin}/studio
  The shop                 ${origin}/
  The stand-ins            ${standins}/        (gateway accounts, mailbox, ways to misbehave)
${signIns}

Ctrl-C ends it.`)
}

async function end() {
  isEnding = true
  for (const part of [...parts].reverse()) await part.end()
  stopDatabase()
}

async function stop() {
  if (isEnding) return
  console.log('\nEnding…')
  await end()
  process.exit(0)
}
