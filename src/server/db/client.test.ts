import { sql } from 'drizzle-orm'
import { describe, expect, it } from 'vitest'
import { testUrl } from '../../testing/globalSetup.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { unavailable } from '../http/unavailable.ts'
import { connect, SecondConnection, transaction } from './client.ts'

const world = ownWorld()

describe('inside a transaction', () => {
  it('the pool refuses a second connection, also where it is asked for somewhere deep', async () => {
    const { db } = world
    const deep = async () => db.execute(sql`select 1`)
    const caught = await transaction(db, async () => deep()).catch((error: unknown) => error)
    const cause = caught instanceof Error && caught.cause !== undefined ? caught.cause : caught
    expect(cause).toBeInstanceOf(SecondConnection)
    await expect(transaction(db, async () => transaction(db, async () => 1))).rejects.toBeInstanceOf(SecondConnection)
  })

  it('whoever does not ask inside it has connections', async () => {
    const { db } = world
    const [, outside] = await Promise.all([
      transaction(db, async (tx) => tx.execute(sql`select pg_sleep(0.05)`)),
      db.execute(sql`select 1 as one`),
    ])
    expect(outside.rows).toEqual([{ one: 1 }])
    await transaction(db, async (tx) => tx.execute(sql`select 1`))
    expect((await db.execute(sql`select 2 as two`)).rows).toEqual([{ two: 2 }])
  })
})

describe('limits', () => {
  const limits = { acquire: 100, statement: 150, idleInTransaction: 150, answer: 60_000 }

  it('a statement, the wait for a connection and an idle transaction end, and are told as 503', async () => {
    const { db, pool } = connect(testUrl('postgres'), 1, limits)
    const slow = await db.execute(sql`select pg_sleep(5)`).catch((error: unknown) => error)
    expect(unavailable(slow)).toMatchObject({ status: 503, code: 'busy' })
    let free = () => {}
    const held = transaction(db, () => new Promise<void>((resolve) => (free = resolve))).catch(
      (error: unknown) => error,
    )
    await new Promise((resolve) => setTimeout(resolve, 20))
    const waited = await db.execute(sql`select 1`).catch((error: unknown) => error)
    expect(unavailable(waited)).toMatchObject({ status: 503, more: { retryAfter: 2 } })
    await new Promise((resolve) => setTimeout(resolve, 200))
    free()
    expect(unavailable(await held)).toMatchObject({ status: 503 })
    expect((await db.execute(sql`select 3 as three`)).rows).toEqual([{ three: 3 }])
    await pool.end()
  })

  it('any other error is none of these', async () => {
    const wrong = await world.db.execute(sql`select nothing from nowhere`).catch((error: unknown) => error)
    expect(unavailable(wrong)).toBeNull()
    expect(unavailable(new Error('something else'))).toBeNull()
  })
})
