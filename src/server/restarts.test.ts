import type { ChildProcess } from 'node:child_process'
import { chmodSync, cpSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { drizzle } from 'drizzle-orm/node-postgres'
import { migrate } from 'drizzle-orm/node-postgres/migrator'
import pg from 'pg'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { ensureDatabase, startCluster } from '../../scripts/postgres.ts'
import { endPart, PARTS, runStep, startPart } from '../../scripts/processes.ts'
import { PASSWORD, putOnSale, setUpSchool } from '../testing/school.ts'
import { eventually } from '../testing/world.ts'
import { connect } from './db/client.ts'
import { jobs } from './db/schema/index.ts'
import { addPerson } from './people/service.ts'
import { readConfig } from './platform/config.ts'
import { openServices } from './services.ts'

/** The whole product while its database is restarted, killed and away; and several processes that start at once. */
const MINUTE = 60_000
const QUEUED = '5a0c6c1e-1111-4222-8333-444455556666'
const dir = mkdtempSync(join(tmpdir(), 'young-acorn-restarts-'))
let port = 0
let cluster: Awaited<ReturnType<typeof startCluster>>
const startDatabase = async () => {
  // What was committed before a crash must be there after it.
  cluster = await startCluster({ dir: join(dir, 'postgres'), port })
}

function freePort(): Promise<number> {
  return new Promise((resolve) => {
    const server = createServer().listen(0, '127.0.0.1', () => {
      const { port: free } = server.address() as { port: number }
      server.close(() => resolve(free))
    })
  })
}

beforeAll(async () => {
  // PostgreSQL runs as another user where we are root.
  chmodSync(dir, 0o755)
  port = await freePort()
  await startDatabase()
}, 2 * MINUTE)
afterAll(() => {
  cluster.stop()
  rmSync(dir, { recursive: true, force: true })
})

async function settings(database: string): Promise<NodeJS.ProcessEnv> {
  await ensureDatabase(cluster.url(database))
  return {
    ...process.env,
    PORT: String(await freePort()),
    STANDINS_PORT: String(await freePort()),
    MAIL_PORT: String(await freePort()),
    DATABASE_URL: cluster.url(database),
    DATA_DIR: dir,
    STANDINS_DATA: join(dir, 'standins'),
    DIST: '.data/test-dist',
    LIMITS: '1000',
    CLOCK_TOLERANCE: 'Infinity',
  }
}

describe('processes that start at once', () => {
  const startFour = async (env: NodeJS.ProcessEnv) => {
    const config = readConfig(env)
    const opened = await Promise.all([1, 2, 3, 4].map(() => openServices(config)))
    for (const { services, close } of opened) {
      expect(await services.db.$count(services.db._.fullSchema.orders)).toBe(0)
      await close()
    }
  }

  it('on an empty database: one makes it, the others wait and go on', { timeout: MINUTE }, async () => {
    await startFour(await settings('empty'))
  })

  it('on one of an older version: the same', { timeout: MINUTE }, async () => {
    const env = await settings('older')
    const folder = join(dir, 'older-migrations')
    cpSync('src/server/db/migrations', folder, { recursive: true })
    const file = join(folder, 'meta/_journal.json')
    const journal = JSON.parse(readFileSync(file, 'utf8')) as { entries: unknown[] }
    writeFileSync(file, JSON.stringify({ ...journal, entries: journal.entries.slice(0, -12) }))
    const { db, pool } = connect(env.DATABASE_URL as string, 1)
    await migrate(drizzle(pool), { migrationsFolder: folder })
    // The queue was a package's then.
    await db.execute(`create schema pgboss; create table pgboss.job
      (id uuid, name text, data jsonb, start_after timestamptz, retry_count int, state text);
      insert into pgboss.job values
        ('${QUEUED}', 'message-send', '{"messageId":"kept"}', '2026-11-20', 2, 'retry'),
        (gen_random_uuid(), 'message-send', '{}', now(), 0, 'completed')`)
    await pool.end()
    await startFour(env)
    const { db: now, pool: after } = connect(env.DATABASE_URL as string, 1)
    expect(await now.select().from(jobs)).toMatchObject([
      { id: QUEUED, name: 'message-send', data: { messageId: 'kept' }, tries: 2, state: 'waiting' },
    ])
    await after.end()
  })
})

describe('the product', () => {
  let env: NodeJS.ProcessEnv
  let children: ChildProcess[] = []
  let origin = ''
  let personId = ''
  let cookie = ''
  const asked = async (path: string, method = 'GET', body?: object) => {
    // Each on a connection of its own: one that is kept may end just as it is used again.
    const headers = { origin, cookie, 'content-type': 'application/json', connection: 'close' }
    return fetch(origin + path, { method, headers, body: body ? JSON.stringify(body) : null })
  }

  beforeAll(async () => {
    env = await settings('acorn')
    await runStep(['scripts/build.ts'], { DIST: '.data/test-dist', NODE_ENV: 'production' })
    const config = readConfig(env)
    origin = config.origin
    const { services, close } = await openServices(config)
    await setUpSchool(services, 'Restarted school', 'owner@school.example')
    await putOnSale(services, 'Coptic', { terms: { kind: 'free' } })
    ;({ id: personId } = await addPerson(services, 'practice', 'Ada', 'ada@post.example'))
    await close()
    children = await Promise.all(PARTS.map((part) => startPart(part, env)))
    const signedIn = await asked('/api/session/sign-in', 'POST', { email: 'owner@school.example', password: PASSWORD })
    cookie = signedIn.headers
      .getSetCookie()
      .map((set) => set.split(';')[0])
      .join('; ')
    expect(signedIn.status).toBe(200)
  }, 3 * MINUTE)
  afterAll(() => Promise.all(children.map(endPart)))

  /** Both processes live, a page is served, and a job is done. */
  const goesOn = async () => {
    await eventually(async () => (await asked('/')).status === 200)
    const sent = async () => {
      const client = new pg.Client({ connectionString: env.DATABASE_URL })
      await client.connect()
      try {
        const { rows } = await client.query(`select count(*)::int as n from messages where state = 'sent'`)
        return rows[0].n as number
      } finally {
        await client.end()
      }
    }
    const before = await sent()
    await eventually(async () => (await asked(`/api/people/${personId}/password-link`, 'POST')).status === 200)
    await eventually(async () => (await sent()) > before)
    expect(children.map(({ exitCode, signalCode }) => exitCode ?? signalCode)).toEqual([null, null, null])
  }
  const stop = (mode: 'immediate' | 'fast') => cluster.stop(mode)

  it('goes on after every restart of its database', { timeout: 5 * MINUTE }, async () => {
    await goesOn()
    for (const mode of ['fast', 'immediate', 'fast', 'immediate'] as const) {
      // Something is under way meanwhile.
      const pressing = Promise.allSettled(
        Array.from({ length: 20 }, () => asked(`/api/people/${personId}/password-link`, 'POST')),
      )
      stop(mode)
      await startDatabase()
      for (const press of await pressing) {
        expect(press.status === 'fulfilled' ? [200, 503] : []).toContain(
          press.status === 'fulfilled' && press.value.status,
        )
      }
      await goesOn()
    }
  })

  it('goes on after single connections of it were killed', { timeout: 5 * MINUTE }, async () => {
    for (let time = 0; time < 3; time++) {
      const client = new pg.Client({ connectionString: env.DATABASE_URL })
      client.on('error', () => {})
      await client.connect()
      const { rows } = await client.query(
        `select pid from pg_stat_activity where datname = 'acorn' and pid <> pg_backend_pid() limit 1`,
      )
      await client.end()
      // PostgreSQL restarts all of its own when one is killed so.
      process.kill(rows[0].pid, 'SIGKILL')
      await goesOn()
    }
  })

  it('answers 503 without a database, and goes on by itself once it is back', { timeout: 5 * MINUTE }, async () => {
    stop('immediate')
    for (let time = 0; time < 10; time++) {
      const page = await asked('/')
      expect([page.status, Number(page.headers.get('retry-after')) > 0]).toEqual([503, true])
      expect(await page.text()).toContain('Restarted school')
      expect((await asked('/api/orders')).status).toBe(503)
      await new Promise((resolve) => setTimeout(resolve, 500))
    }
    await startDatabase()
    await goesOn()
  })
})
