import { randomBytes } from 'node:crypto'
import { eq, sql } from 'drizzle-orm'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { copyDatabase, dropDatabase } from '../../../scripts/databases.ts'
import { TEMPLATE, testUrl } from '../../testing/globalSetup.ts'
import { connect, type Database, DatabaseIsNewer, migrateDatabase, transaction } from '../db/client.ts'
import { insertAll } from '../db/insertAll.ts'
import { jobs } from '../db/schema/index.ts'
import { queueDaily } from '../upkeep/daily.ts'
import { JOBS, jobsIn } from './jobs.ts'

const url = testUrl(`acorn_jobs_${randomBytes(5).toString('hex')}`)
let db: Database
let close: () => Promise<void>

beforeAll(async () => {
  await copyDatabase(url, TEMPLATE)
  const connected = connect(url, 3)
  db = connected.db
  close = async () => {
    await connected.pool.end()
    await dropDatabase(url)
  }
})
afterAll(() => close())

const waiting = async () =>
  (
    await db.execute(
      sql`select data->>'messageId' as id, run_at > now() + interval '20 seconds' as later from jobs
        where name = 'message-send' and state = 'waiting' order by data->>'messageId'`,
    )
  ).rows

it('a job exists if, and only if, its transaction commits', async () => {
  await transaction(db, (tx) => JOBS.send(tx, 'message-send', { messageId: 'kept' }))
  const failing = transaction(db, async (tx) => {
    await JOBS.send(tx, 'message-send', { messageId: 'gone' })
    throw new Error('rolled back')
  })
  await expect(failing).rejects.toThrow('rolled back')
  expect(await waiting()).toEqual([{ id: 'kept', later: false }])
})

it('waits as long as it is told', async () => {
  await JOBS.send(db, 'message-send', { messageId: 'patient' }, { afterSeconds: 60 })
  expect(await waiting()).toContainEqual({ id: 'patient', later: true })
})

it('a quotation mark in a job’s data is data', async () => {
  await JOBS.send(db, 'message-send', { messageId: `it's "$1"` })
  expect((await waiting()).map(({ id }) => id)).toContain(`it's "$1"`)
})

it('what is done once a day is queued once a day, however often it is asked for', async () => {
  for (let sweep = 0; sweep < 3; sweep++) await queueDaily({ now: () => new Date(), db, jobs: JOBS })
  const queued = await db.execute(sql`select name from jobs where name in ('purge', 'reconcile') order by name`)
  expect(queued.rows).toEqual([{ name: 'purge' }, { name: 'reconcile' }])
})

it('what is queued once a time is queued again when that is over, and not before, done or not', async () => {
  const names = async () => (await db.execute(sql`select state from jobs where name = 'practice-move'`)).rows
  const send = () => JOBS.send(db, 'practice-move', {}, { once: 'move', onceInSeconds: 86_400 })
  await send()
  const [job] = await jobsIn(db).take('practice-move', 5)
  await jobsIn(db).complete([job?.id as string])
  await send()
  expect(await names()).toEqual([{ state: 'done' }])
  // Of another day, as it stands tomorrow.
  await db.execute(sql`update jobs set once = 'move 0' where name = 'practice-move'`)
  await send()
  expect(await names()).toEqual([{ state: 'done' }, { state: 'waiting' }])
})

describe('workers', () => {
  const source = () => jobsIn(db)
  const queue = (count: number) =>
    insertAll(
      db,
      JOBS.rows(
        'refund-settle',
        Array.from({ length: count }, (_, n) => ({ refundId: String(n) })),
      ),
    )
  const rowOf = async (id: string) => (await db.select().from(jobs).where(eq(jobs.id, id)))[0]
  /** Makes what waits due, and safely: the machine's clock may be set back by a little at any moment. */
  const makeDue = () => db.execute(sql`update jobs set run_at = now() - interval '1 minute'`)
  beforeEach(() => db.delete(jobs))

  it('that ask at the same moment get each job once', async () => {
    await queue(30)
    expect(await source().due()).toEqual(['refund-settle'])
    const taken = await Promise.all([1, 2, 3].map(() => source().take('refund-settle', 10)))
    expect(new Set(taken.flat().map(({ data }) => data.refundId)).size).toBe(30)
    expect(await source().due()).toEqual([])
    expect(await source().take('refund-settle', 10)).toEqual([])
  })

  it('that end in their midst leave them to others, once their time is over', async () => {
    await queue(1)
    const [first] = await source().take('refund-settle', 1)
    expect(first?.tries).toBe(1)
    await db.execute(sql`update jobs set run_at = run_at - interval '14 minutes'`)
    expect(await source().take('refund-settle', 1)).toEqual([])
    await db.execute(sql`update jobs set run_at = run_at - interval '2 minutes'`)
    expect(await source().take('refund-settle', 1)).toEqual([{ ...first, tries: 2 }])
  })

  it('try what failed again after pauses that grow, and leave it as failed after the last, with its reason', async () => {
    await queue(1)
    const waits: number[] = []
    for (let tries = 1; tries <= 9; tries++) {
      const [job] = await source().take('refund-settle', 1)
      if (!job) throw new Error('It was not there again.')
      await source().fail(job, `no ${tries}`)
      const row = await rowOf(job.id)
      expect(row).toMatchObject({ why: `no ${tries}`, state: tries < 9 ? 'waiting' : 'failed' })
      const { rows } = await db.execute<{ wait: number }>(
        sql`select extract(epoch from run_at - now())::float8 as wait from jobs`,
      )
      if (tries < 9) waits.push(rows[0]?.wait ?? 0)
      await makeDue()
    }
    for (const [index, wait] of waits.entries()) {
      expect(wait).toBeGreaterThan(2 ** index - 1)
      expect(wait).toBeLessThanOrEqual(2 ** (index + 1))
    }
    expect(await source().due()).toEqual([])
  })

  it('try mail for over three days, however the pauses fall out', async () => {
    let least = 0
    await JOBS.send(db, 'message-send', { messageId: 'patient' })
    for (;;) {
      const [job] = await source().take('message-send', 1)
      if (!job) throw new Error('It was not there again.')
      await source().fail(job, 'no')
      if ((await rowOf(job.id))?.state === 'failed') break
      least += (20 * 2 ** job.tries) / 2
      await makeDue()
    }
    expect(least).toBeGreaterThan(3 * 86_400)
  })
})

it('a database of a newer version is refused in words', async () => {
  await db.execute(sql`insert into drizzle.__drizzle_migrations (hash, created_at) values ('newer', 9999999999999)`)
  await expect(migrateDatabase(db)).rejects.toBeInstanceOf(DatabaseIsNewer)
})
