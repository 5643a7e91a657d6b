import { randomBytes } from 'node:crypto'
import { sql } from 'drizzle-orm'
import { afterAll, beforeAll, expect, it } from 'vitest'
import { copyDatabase, dropDatabase } from '../../../scripts/databases.ts'
import { TEMPLATE, testUrl } from '../../testing/globalSetup.ts'
import { connect, type Database, DatabaseIsNewer, migrateDatabase } from '../db/client.ts'
import { queueDaily } from '../upkeep/daily.ts'
import { type Jobs, startJobs } from './jobs.ts'

const url = testUrl(`acorn_jobs_${randomBytes(5).toString('hex')}`)
let db: Database
let jobs: Jobs
let close: () => Promise<void>

beforeAll(async () => {
  await copyDatabase(url, TEMPLATE)
  const connected = connect(url, 3)
  const started = await startJobs(url, false)
  db = connected.db
  jobs = started.jobs
  close = async () => {
    await started.close()
    await connected.pool.end()
    await dropDatabase(url)
  }
})
afterAll(() => close())

const waiting = async () =>
  (
    await db.execute(
      sql`select data->>'messageId' as id, start_after > now() + interval '20 seconds' as later from pgboss.job where name = 'message-send' order by data->>'messageId'`,
    )
  ).rows

it('a job exists if, and only if, its transaction commits', async () => {
  await db.transaction((tx) => jobs.send(tx, 'message-send', { messageId: 'kept' }))
  const failing = db.transaction(async (tx) => {
    await jobs.send(tx, 'message-send', { messageId: 'gone' })
    throw new Error('rolled back')
  })
  await expect(failing).rejects.toThrow('rolled back')
  expect(await waiting()).toEqual([{ id: 'kept', later: false }])
})

it('waits as long as it is told', async () => {
  await jobs.send(db, 'message-send', { messageId: 'patient' }, { afterSeconds: 60 })
  expect(await waiting()).toContainEqual({ id: 'patient', later: true })
})

it('a quotation mark in a job’s data is data', async () => {
  await jobs.send(db, 'message-send', { messageId: `it's "$1"` })
  expect((await waiting()).map(({ id }) => id)).toContain(`it's "$1"`)
})

it('what is done once a day is queued once a day, however often it is asked for', async () => {
  for (let sweep = 0; sweep < 3; sweep++) await queueDaily({ now: () => new Date(), db, jobs })
  const queued = await db.execute(sql`select name from pgboss.job where name in ('purge', 'reconcile') order by name`)
  expect(queued.rows).toEqual([{ name: 'purge' }, { name: 'reconcile' }])
})

it('a database of a newer version is refused in words', async () => {
  await db.execute(sql`insert into drizzle.__drizzle_migrations (hash, created_at) values ('newer', 9999999999999)`)
  await expect(migrateDatabase(db)).rejects.toBeInstanceOf(DatabaseIsNewer)
})
