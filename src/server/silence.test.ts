import type { ServerType } from '@hono/node-server'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { ownWorld } from '../testing/ownWorld.ts'
import { NOTHING_RENDERED } from '../testing/school.ts'
import { listen } from '../testing/standins.ts'
import { type TcpProxy, tcpProxy } from '../testing/tcpProxy.ts'
import { eventually } from '../testing/world.ts'
import { makeApp } from './app.ts'
import { connect, type Database, SERVICE_LIMITS, transaction } from './db/client.ts'
import { Limits } from './platform/limits.ts'

/** A network between server and database that goes silent, breaks, or is not there. */
const world = ownWorld()
/** Short, so that the tests are; nothing depends on how fast anything is answered. */
const LIMITS = { ...SERVICE_LIMITS, acquire: 3000, statement: 1500, answer: 2000 }
let proxy: TcpProxy
let origin = ''
let server: ServerType
let db: Database
let end: () => Promise<void>

beforeAll(async () => {
  const direct = new URL(world.services.config.databaseUrl)
  proxy = await tcpProxy({ host: direct.hostname, port: Number(direct.port) })
  direct.port = String(proxy.port)
  const connected = connect(direct.href, 6, LIMITS)
  db = connected.db
  const services = { ...world.services, db, limits: new Limits(db, 10_000) }
  const listening = await listen(makeApp(services, NOTHING_RENDERED).fetch)
  ;({ origin, server } = listening)
  end = () => connected.pool.end()
  await world.sell(5000, 'Silent')
})
afterAll(async () => {
  server.close()
  await Promise.race([end(), new Promise((resolve) => setTimeout(resolve, 5000))])
  await proxy.close()
})

const ask = async (path: string) => {
  const response = await fetch(origin + path)
  return { status: response.status, retry: response.headers.get('retry-after'), text: await response.text() }
}
const PATHS = ['/', '/course/silent', '/api/session', '/api/shop/checkout/silent', '/nowhere']
const askAll = () => Promise.all([...PATHS, ...PATHS, ...PATHS].map(ask))
/** Soon everybody is served again, however slow the machine is. */
const isServed = () => eventually(async () => (await askAll()).every(({ status }) => status === 200 || status === 404))

describe('between server and database', () => {
  it('silence without a reset: everybody is answered, and dead connections are thrown away', {
    timeout: 600_000,
  }, async () => {
    await isServed()
    for (let time = 0; time < 3; time++) {
      proxy.silence()
      const answers = await askAll()
      const refused = answers.filter(({ status }) => status === 503)
      expect(refused.length).toBeGreaterThan(0)
      for (const { retry } of refused) expect(Number(retry)).toBeGreaterThan(0)
      expect(answers.filter(({ status }) => ![200, 404, 503].includes(status))).toEqual([])
      // Whoever waited for one of them knows that all are dead; the next has another.
      await isServed()
    }
  })

  it('silence in a transaction gives its connection back to nobody', async () => {
    const held = transaction(db, async (tx) => {
      await tx.execute('select 1')
      proxy.silence()
      await tx.execute('select 2')
    })
    await expect(held).rejects.toThrow()
    await eventually(async () => (await db.execute('select 3 as three').catch(() => ({ rows: [] }))).rows.length === 1)
  })

  it('a reset, and a time without any: 503 as a page that needs no database, then as before', async () => {
    await askAll()
    proxy.cut(true)
    for (let time = 0; time < 3; time++) {
      const page = await ask('/')
      expect([page.status, Number(page.retry) > 0]).toEqual([503, true])
      expect(page.text).toContain('<html')
      const api = await ask('/api/session')
      expect([api.status, JSON.parse(api.text)]).toMatchObject([503, { status: 503, retryAfter: expect.any(Number) }])
    }
    proxy.cut(false)
    await isServed()
  })
})
