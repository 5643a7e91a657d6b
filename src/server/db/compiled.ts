import { type Placeholder, type SQL, sql } from 'drizzle-orm'
import { lastingBeneath, type Queryable } from './client.ts'

/** A statement of the query builder that can be made once and run often. */
interface Preparable<R> {
  prepare(name: string): { execute(values: Record<string, unknown>): Promise<R> }
}

type Given<V> = (name: keyof V & string) => Placeholder

let made = 0

/**
 * A statement on the way of every sale, whose text is built once a connection: building one costs the server more than
 * PostgreSQL takes to run it. It has a name, so that PostgreSQL parses and plans it once a connection too. `build` names
 * what is given with each call; a list is given to `= any (…)`. What it brings stands in `docs/performance.md`.
 *
 *     const byId = compiled<{ id: string }>()((db, given) => db.select().from(orders).where(eq(orders.id, given('id'))))
 *     const [order] = await byId(tx, { id })
 */
export function compiled<V extends Record<string, unknown> = Record<string, never>>() {
  return <R>(build: (db: Queryable, given: Given<V>) => Preparable<R>) => {
    const name = `compiled_${++made}`
    const byPlace = new WeakMap<Queryable, ReturnType<Preparable<R>['prepare']>>()
    return (db: Queryable, values: V): Promise<R> => {
      const place = lastingBeneath(db)
      let statement = byPlace.get(place)
      if (!statement) {
        statement = build(place, (value) => sql.placeholder(value)).prepare(name)
        byPlace.set(place, statement)
      }
      return statement.execute(values)
    }
  }
}

/**
 * `= any (…)` for ids that are given, or that a query finds: `sql`…${column} = ${anyOf(given('ids'))}``. They are looked up
 * by the column's index, however many PostgreSQL expects, and the plan is the same for any number, so that it is made once.
 */
export function anyOf(ids: Placeholder): SQL {
  return sql`any (array (select unnest(${ids}::uuid[])))`
}
