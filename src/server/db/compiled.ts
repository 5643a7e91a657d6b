import { type Placeholder, type SQL, sql } from 'drizzle-orm'
import { isInsideTransaction, lastingBeneath, onShared, type Queryable } from './client.ts'

/** A statement of the query builder that can be made once and run often. */
interface Preparable<R> {
  prepare(name: string): { execute(values: Record<string, unknown>): Promise<R> }
}

type Given<V> = (name: keyof V & string) => Placeholder

/**
 * A statement on the way of every sale, whose text is built once a connection: building one costs the server more than
 * PostgreSQL takes to run it. `build` names what is given with each call; a list is given to `= any (…)`.
 *
 *     const byId = compiled<{ id: string }>()((db, given) => db.select().from(orders).where(eq(orders.id, given('id'))))
 *     const [order] = await byId(tx, { id })
 */
export function compiled<V extends Record<string, unknown> = Record<string, never>>() {
  return <R>(build: (db: Queryable, given: Given<V>) => Preparable<R>) => made<V, R>(build, lastingBeneath)
}

/**
 * The same for what is read by a key and found at once. Outside of a transaction all lookups share one connection, on
 * which those of one moment are sent together, and what several ask for in that moment is asked once, and answered by the
 * same rows: nobody changes them. What takes long would hold up the others.
 */
export function lookup<V extends Record<string, unknown> = Record<string, never>>() {
  return <R>(build: (db: Queryable, given: Given<V>) => Preparable<R>) => {
    const ask = made<V, R>(build, onShared)
    const asked = new WeakMap<Queryable, Map<string, Promise<R>>>()
    return (db: Queryable, values: V): Promise<R> => {
      // In a transaction it goes out in its turn.
      if (isInsideTransaction() || lastingBeneath(db) !== db) return ask(db, values)
      const waiting = asked.get(db) ?? new Map<string, Promise<R>>()
      asked.set(db, waiting)
      const key = JSON.stringify(values)
      const known = waiting.get(key)
      if (known) return known
      const answer = new Promise<R>((resolve, reject) => {
        setImmediate(() => {
          waiting.delete(key)
          ask(db, values).then(resolve, reject)
        })
      })
      waiting.set(key, answer)
      return answer
    }
  }
}

function made<V extends Record<string, unknown>, R>(
  build: (db: Queryable, given: Given<V>) => Preparable<R>,
  where: (db: Queryable) => Queryable,
) {
  const byPlace = new WeakMap<Queryable, ReturnType<Preparable<R>['prepare']>>()
  return (db: Queryable, values: V): Promise<R> => {
    const place = where(db)
    let statement = byPlace.get(place)
    if (!statement) {
      statement = build(place, (name) => sql.placeholder(name)).prepare('')
      byPlace.set(place, statement)
    }
    return statement.execute(values)
  }
}

/**
 * `= any (…)` for ids that are given, or that a query finds: `sql`…${column} = ${anyOf(given('ids'))}``. They are looked up
 * by the column's index, however many PostgreSQL expects, and the plan is the same for any number, so that it is made once.
 */
export function anyOf(ids: Placeholder): SQL {
  return sql`any (array (select unnest(${ids}::uuid[])))`
}
