import { asc, eq, sql } from 'drizzle-orm'
import { describe, expect, it } from 'vitest'
import { ownWorld } from '../../testing/ownWorld.ts'
import { insertAll, rowsOf, updateAll } from './insertAll.ts'
import { grants, journal, messages, people } from './schema/index.ts'

const world = ownWorld()
const at = new Date('2026-05-04T08:15:30.123Z')

const newPerson = (email: string, name = 'Ida') => ({
  id: crypto.randomUUID(),
  mode: 'practice' as const,
  email,
  name,
  createdAt: at,
})

describe('rows that are written together', () => {
  it('may refer to each other, are what the query builder writes, and take their defaults', async () => {
    const { db } = world
    const ida = newPerson('ida@post.example')
    await insertAll(
      db,
      rowsOf(journal, [{ personId: ida.id, at, what: 'person-joined', data: { deep: 'a "quoted" – word', n: 3 } }]),
      rowsOf(people, [ida]),
    )
    const [stored] = await db.select().from(people).where(eq(people.id, ida.id))
    expect(stored).toMatchObject({ ...ida, postalAddress: '', passwordHash: null, searchText: 'ida ida@post.example' })
    const [entry] = await db.select().from(journal).where(eq(journal.personId, ida.id))
    expect(entry).toMatchObject({ orderId: null, at, what: 'person-joined', data: { deep: 'a "quoted" – word', n: 3 } })
  })

  it('get their numbers in their order, however many', async () => {
    const { db } = world
    const ole = newPerson('ole@post.example', 'Ole')
    await insertAll(db, rowsOf(people, [ole]))
    const rows = Array.from({ length: 300 }, (_, n) => ({ personId: ole.id, at, what: `thing ${n}`, data: {} }))
    await insertAll(db, rowsOf(journal, rows))
    const stored = await db.select().from(journal).where(eq(journal.personId, ole.id)).orderBy(asc(journal.id))
    expect(stored.map(({ what }) => what)).toEqual(rows.map(({ what }) => what))
  })

  it('keep text as it is: quotes, backslashes, lines, signs beyond the basic plane', async () => {
    const { db } = world
    const names = [
      `O'Brien "x" \\n $1 ?`,
      'two\nlines\ttab',
      '名前 🪡',
      "'); drop table people; --",
      '{"a": [1, null]}',
      'NULL',
    ]
    const all = names.map((name, n) => newPerson(`text${n}@post.example`, name))
    await insertAll(db, rowsOf(people, all))
    for (const { id, name } of all) {
      const [row] = await db.select({ name: people.name }).from(people).where(eq(people.id, id))
      expect(row?.name).toBe(name)
    }
  })

  it('what only some rows name is null in the others; what is undefined is not named', async () => {
    const { db } = world
    const pia = newPerson('pia@post.example', 'Pia')
    const queued = (id: string, more: object) => ({
      ...{ id, mode: 'practice' as const, kind: 'password' as const, personId: pia.id, state: 'waiting' as const },
      ...{ createdAt: at, orderId: undefined, ...more },
    })
    const ids = [crypto.randomUUID(), crypto.randomUUID()] as const
    await insertAll(
      db,
      rowsOf(people, [pia]),
      rowsOf(messages, [queued(ids[0], { courseTitle: 'Kettle stitch' }), queued(ids[1], {})]),
    )
    const rows = await db.select().from(messages).where(eq(messages.personId, pia.id))
    const titles = new Map(rows.map(({ id, courseTitle }) => [id, courseTitle]))
    expect([titles.get(ids[0]), titles.get(ids[1])]).toEqual(['Kettle stitch', null])
    expect(rows.every(({ orderId }) => orderId === null)).toBe(true)
  })

  it('columns may be worked out by the database for each row', async () => {
    const { db } = world
    await db.execute(sql`create sequence ticks start 7`)
    const all = [newPerson('c1@post.example'), newPerson('c2@post.example')].map(({ name, ...row }) => row)
    await insertAll(
      db,
      rowsOf(people, all as (typeof people.$inferInsert)[], { computed: { name: `'no ' || nextval('ticks')` } }),
    )
    const names = await db.select({ name: people.name }).from(people).where(sql`email like 'c_@post.example'`)
    expect(names.map(({ name }) => name).sort()).toEqual(['no 7', 'no 8'])
  })
})

describe('where one does not fit', () => {
  it('none is written, of no table', async () => {
    const { db } = world
    const una = newPerson('una@post.example', 'Una')
    const grant = {
      mode: 'practice' as const,
      personId: una.id,
      courseId: crypto.randomUUID(),
      opens: '2026-05-04',
      createdAt: at,
    }
    await expect(insertAll(db, rowsOf(people, [una]), rowsOf(grants, [grant]))).rejects.toThrow()
    expect(await db.$count(people, eq(people.id, una.id))).toBe(0)
    await expect(insertAll(db, rowsOf(people, [una, { ...newPerson('una@post.example') }]))).rejects.toThrow()
    expect(await db.$count(people, eq(people.email, 'una@post.example'))).toBe(0)
  })

  it('a row that leaves out what must be there is refused, and so is a column that there is not', async () => {
    const { email, ...nameless } = newPerson('x@post.example')
    await expect(
      insertAll(world.db, rowsOf(people, [newPerson(email), nameless as (typeof people)['$inferInsert']])),
    ).rejects.toThrow()
    expect(() => rowsOf(people, [{ ...newPerson('y@post.example'), shoeSize: 41 } as never])).toThrow(
      'no column shoeSize',
    )
  })
})

it('nothing is asked where there is nothing to write', async () => {
  await insertAll(world.db)
  await insertAll(world.db, rowsOf(people, []), rowsOf(journal, []))
})

it('rows are changed together, each to what is its own, and only those for which it holds', async () => {
  const { db } = world
  const [one, two, three] = ['one', 'two', 'three'].map((name) => newPerson(`${name}@changed.example`))
  if (!one || !two || !three) throw new Error('nobody')
  await insertAll(db, rowsOf(people, [one, two, { ...three, erasedAt: at }]))
  const later = new Date('2027-01-31T09:00:00.007Z')
  await updateAll(
    db,
    people,
    'id',
    [
      { id: one.id, name: 'A "quoted" – name', createdAt: later, passwordHash: null },
      { id: two.id, name: 'Other', createdAt: at, passwordHash: 'x' },
      { id: three.id, name: 'Not this one', createdAt: later, passwordHash: 'y' },
    ],
    'erasedAt',
  )
  await updateAll(db, people, 'id', [])
  const found = async ({ id }: { id: string }) => (await db.select().from(people).where(eq(people.id, id)))[0]
  expect(await found(one)).toMatchObject({ name: 'A "quoted" – name', createdAt: later, passwordHash: null })
  expect(await found(two)).toMatchObject({ name: 'Other', createdAt: at, passwordHash: 'x', email: two.email })
  expect(await found(three)).toMatchObject({ name: 'Ida', createdAt: at, passwordHash: null })
})
