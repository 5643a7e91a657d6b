import type { ServerType } from '@hono/node-server'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { ownWorld } from '../testing/ownWorld.ts'
import { NOTHING_RENDERED } from '../testing/school.ts'
import { listen } from '../testing/standins.ts'
import { type TcpProxy, tcpProxy } from '../testing/tcpProxy.ts'
import { makeApp } from './app.ts'
import { connect, type Database, SERVICE_LIMITS } from './db/client.ts'
import { Limits } from './platform/limits.ts'

/** A network between server and database that goes silent, breaks, or is not there. */
const world = ownWorld()
/** Short, so that the tests are; nothing depends on how fast anything is answered. */
const LIMITS = { ...SERVICE_LIMITS, acquire: 3000, statement: 1500, answer: 2000, smallAnswer: 1500 }
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
const statuses = async () => new Set((await askAll()).map(({ status }) => status))

describe('between server and database', () => {
  it('silence without a reset: everybody is answered, and dead connections are thrown away', async () => {
    expect(await statuses()).toEqual(new Set([200, 404]))
    for (let time = 0; time < 3; time++) {
      proxy.silence()
      const answers = await askAll()
      for (const { status, retry } of answers) expect([status, Number(retry) > 0]).toEqual([503, true])
      // Whoever waited for one of them knows that all are dead; the next has another.
      for (let left = 0; left < 8; left++) await askAll()
      expect(await statuses()).toEqual(new Set([200, 404]))
    }
  })

  it('silence in a transaction gives its connection back to nobody', async () => {
    const held = db.transaction(async (tx) => {
      await tx.execute('select 1')
      proxy.silence()
      await tx.execute('select 2')
    })
    await expect(held).rejects.toThrow()
    expect((await db.execute('select 3 as three')).rows).toEqual([{ three: 3 }])
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
    expect(await statuses()).toEqual(new Set([200, 404]))
  })
})
