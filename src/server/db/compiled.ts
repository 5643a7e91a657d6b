import { type Placeholder, sql } from 'drizzle-orm'
import { lastingBeneath, type Queryable } from './client.ts'

/** A statement of the query builder that can be made once and run often. */
interface Preparable<R> {
  prepare(name: string): { execute(values: Record<string, unknown>): Promise<R> }
}

/**
 * A statement on the way of every sale, whose text is built once a connection: building one costs the server more than
 * PostgreSQL takes to run it. `build` names what is given with each call; a list is given to `= any (…)`.
 *
 *     const byId = compiled<{ id: string }>()((db, given) => db.select().from(orders).where(eq(orders.id, given('id'))))
 *     const [order] = await byId(tx, { id })
 */
export function compiled<V extends Record<string, unknown> = Record<string, never>>() {
  return <R>(build: (db: Queryable, given: (name: keyof V & string) => Placeholder) => Preparable<R>) => {
    const made = new WeakMap<Queryable, ReturnType<Preparable<R>['prepare']>>()
    return (db: Queryable, values: V): Promise<R> => {
      const on = lastingBeneath(db)
      let statement = made.get(on)
      if (!statement) {
        statement = build(on, (name) => sql.placeholder(name)).prepare('')
        made.set(on, statement)
      }
      return statement.execute(values)
    }
  }
}
