import { eq, sql } from 'drizzle-orm'
import { describe, expect, it } from 'vitest'
import { ownWorld } from '../../testing/ownWorld.ts'
import { SecondConnection, transaction } from './client.ts'
import { anyOf, compiled } from './compiled.ts'
import { people } from './schema/index.ts'

const world = ownWorld()

const byEmail = compiled<{ email: string }>()((db, given) =>
  db
    .select()
    .from(people)
    .where(eq(people.email, given('email'))),
)
const found = compiled<{ email: string }>()((db, given) =>
  db
    .select({ name: people.name })
    .from(people)
    .where(eq(people.email, given('email'))),
)
const byIds = compiled<{ ids: readonly string[] }>()((db, given) =>
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
  it('is planned once a connection by the database', async () => {
    const { email } = await person('eva@post.example', 'Eva')
    await transaction(world.db, async (tx) => {
      for (let n = 0; n < 3; n++) await byEmail(tx, { email })
      const { rows } = await tx.execute<{ plans: number }>(
        sql`select (generic_plans + custom_plans)::int as plans from pg_prepared_statements where statement like '%"email" = $1%'`,
      )
      expect(rows.map(({ plans }) => plans)).toContain(3)
    })
  })

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
    await transaction(world.db, async (tx) => {
      expect(await rename(tx, { email, name: 'Una the First' })).toEqual([{ name: 'Una the First' }])
      expect(await found(tx, { email })).toEqual([{ name: 'Una the First' }])
      const [outside] = await transaction(world.db, async () => []).catch((error: unknown) => [error])
      expect(outside).toBeInstanceOf(SecondConnection)
    })
    expect(await found(world.db, { email })).toEqual([{ name: 'Una the First' }])
  })

  it('is undone with its transaction', async () => {
    const { email } = await person('pia@post.example', 'Pia')
    const failing = transaction(world.db, async (tx) => {
      await rename(tx, { email, name: 'Somebody' })
      throw new Error('no')
    })
    await expect(failing).rejects.toThrow('no')
    expect(await found(world.db, { email })).toEqual([{ name: 'Pia' }])
  })

  it('goes on after a statement of its connection failed', async () => {
    const { email } = await person('max@post.example', 'Max')
    for (let round = 0; round < 3; round++) {
      const failing = transaction(world.db, async (tx) => {
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
        transaction(world.db, (tx) => found(tx, { email })),
        byEmail(world.db, { email }),
      ]),
    )
    expect(answers.map(([row]) => row?.name)).toEqual(all.flatMap(({ name }) => [name, name, name]))
  })
})
