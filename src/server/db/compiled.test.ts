import { eq, sql } from 'drizzle-orm'
import { describe, expect, it } from 'vitest'
import { ownWorld } from '../../testing/ownWorld.ts'
import { SecondConnection } from './client.ts'
import { anyOf, compiled, lookup } from './compiled.ts'
import { people } from './schema/index.ts'

const world = ownWorld()

const byEmail = compiled<{ email: string }>()((db, given) =>
  db
    .select()
    .from(people)
    .where(eq(people.email, given('email'))),
)
const found = lookup<{ email: string }>()((db, given) =>
  db
    .select({ name: people.name })
    .from(people)
    .where(eq(people.email, given('email'))),
)
const byIds = lookup<{ ids: readonly string[] }>()((db, given) =>
  db
    .select({ id: people.id })
    .from(people)
    .where(sql`${people.id} = ${anyOf(given('ids'))}`)
    .orderBy(people.createdAt),
)
const rename = compiled<{ email: string; name: string }>()((db, given) =>
  db
    .update(people)
    .set({ name: sql`${given('name')}` })
    .where(eq(people.email, given('email')))
    .returning({ name: people.name }),
)

async function person(email: string, name = 'Ida') {
  const [row] = await world.db
    .insert(people)
    .values({ mode: 'practice', email, name, createdAt: new Date() })
    .returning()
  return row as typeof people.$inferSelect
}

describe('a statement that is built once', () => {
  it('answers as the query builder does, with the values of each call', async () => {
    const [ida, ole] = [await person('ida@post.example'), await person('ole@post.example', 'Ole')]
    expect(await byEmail(world.db, { email: ida.email })).toEqual([ida])
    expect(await byEmail(world.db, { email: ole.email })).toEqual([ole])
    expect(await byEmail(world.db, { email: 'nobody@post.example' })).toEqual([])
    expect(await byIds(world.db, { ids: [ole.id, ida.id] })).toEqual([{ id: ida.id }, { id: ole.id }])
    expect(await byIds(world.db, { ids: [] })).toEqual([])
  })

  it('sees in a transaction what that did, and nobody else does before its end', async () => {
    const { email } = await person('una@post.example', 'Una')
    await world.db.transaction(async (tx) => {
      expect(await rename(tx, { email, name: 'Una the First' })).toEqual([{ name: 'Una the First' }])
      expect(await found(tx, { email })).toEqual([{ name: 'Una the First' }])
      const [outside] = await world.db.transaction(async () => [], undefined).catch((error: unknown) => [error])
      expect(outside).toBeInstanceOf(SecondConnection)
    })
    expect(await found(world.db, { email })).toEqual([{ name: 'Una the First' }])
  })

  it('is undone with its transaction', async () => {
    const { email } = await person('pia@post.example', 'Pia')
    const failing = world.db.transaction(async (tx) => {
      await rename(tx, { email, name: 'Somebody' })
      throw new Error('no')
    })
    await expect(failing).rejects.toThrow('no')
    expect(await found(world.db, { email })).toEqual([{ name: 'Pia' }])
  })

  it('goes on after a statement of its connection failed', async () => {
    const { email } = await person('max@post.example', 'Max')
    for (let round = 0; round < 3; round++) {
      const failing = world.db.transaction(async (tx) => {
        await found(tx, { email })
        await tx.execute(sql`select 1 / 0`)
      })
      await expect(failing).rejects.toThrow()
    }
    expect(await found(world.db, { email })).toEqual([{ name: 'Max' }])
  })

  it('many at once, in transactions and outside, each get their own answer', async () => {
    const all = await Promise.all(Array.from({ length: 20 }, (_, n) => person(`many${n}@post.example`, `Name ${n}`)))
    const answers = await Promise.all(
      all.flatMap(({ email }) => [
        found(world.db, { email }),
        world.db.transaction((tx) => found(tx, { email })),
        byEmail(world.db, { email }),
      ]),
    )
    expect(answers.map(([row]) => row?.name)).toEqual(all.flatMap(({ name }) => [name, name, name]))
  })
})

describe('the connection that lookups share', () => {
  const ofShared = lookup()((db) => db.select({ pid: sql<number>`pg_backend_pid()` }).from(sql`(select 1) as one`))

  it('is one for all, and refused to whoever is in a transaction and asks outside of it', async () => {
    const pids = await Promise.all(Array.from({ length: 10 }, () => ofShared(world.db, {})))
    expect(new Set(pids.map(([row]) => row?.pid)).size).toBe(1)
    const caught = await world.db.transaction(async () => ofShared(world.db, {})).catch((error: unknown) => error)
    const cause = caught instanceof Error && caught.cause !== undefined ? caught.cause : caught
    expect(cause).toBeInstanceOf(SecondConnection)
  })

  const failing = lookup<{ by: number }>()((db, given) => db.select({ n: sql`1 / ${given('by')}::int` }).from(people))

  it('asks once for what several ask for in one moment, and anew for whoever asks later', async () => {
    const { email } = await person('eva@post.example', 'Eva')
    const [first, second, other] = await Promise.all([
      found(world.db, { email }),
      found(world.db, { email }),
      found(world.db, { email: 'ada@post.example' }),
    ])
    expect(second).toBe(first)
    expect([first, other]).toEqual([[{ name: 'Eva' }], []])
    // Whoever asks after something was written is told of it, also where others asked just before.
    const before = found(world.db, { email })
    await rename(world.db, { email, name: 'Eva the Second' })
    const [after, stale] = await Promise.all([found(world.db, { email }), before])
    expect(after).toEqual([{ name: 'Eva the Second' }])
    expect(after).not.toBe(stale)
    // In a transaction each asks for itself, in its turn.
    await world.db.transaction(async (tx) => {
      const [one, two] = await Promise.all([found(tx, { email }), found(tx, { email })])
      expect(two).not.toBe(one)
    })
  })

  it('tells each of several who asked that it failed, and goes on', async () => {
    const all = await Promise.allSettled([
      failing(world.db, { by: 0 }),
      failing(world.db, { by: 0 }),
      failing(world.db, { by: 1 }),
    ])
    expect(all.map(({ status }) => status)).toEqual(['rejected', 'rejected', 'fulfilled'])
    expect((await failing(world.db, { by: 1 })).length).toBeGreaterThan(0)
  })

  it('is opened anew where the database ended it: only who asked on it meanwhile is told', async () => {
    const [before] = await ofShared(world.db, {})
    await world.db.execute(sql`select pg_terminate_backend(${before?.pid})`)
    await new Promise((done) => setTimeout(done, 50))
    const [after] = await ofShared(world.db, {})
    expect(after?.pid).not.toBe(before?.pid)
    expect(after?.pid).toBeGreaterThan(0)
  })
})
