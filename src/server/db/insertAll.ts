import { getTableColumns, getTableName, type SQL, sql } from 'drizzle-orm'
import { toSnakeCase } from 'drizzle-orm/casing'
import type { PgColumn, PgTable } from 'drizzle-orm/pg-core'
import type { Queryable } from './client.ts'

/** Rows of one table that are to be written, see {@link rowsOf}. */
export interface Insert {
  statement: Statement
  rows: readonly Record<string, unknown>[]
}

interface Statement {
  before: SQL
  after: SQL
  columns: readonly (readonly [key: string, column: PgColumn])[]
}

const statements = new WeakMap<PgTable, Map<string, Statement>>()

/**
 * Rows for {@link insertAll}. What no row names takes its default; what only some name is null in the others.
 * @param computed columns that PostgreSQL works out for each row, as SQL that comes from code alone.
 */
export function rowsOf<T extends PgTable>(
  table: T,
  rows: readonly T['$inferInsert'][],
  computed: Partial<Record<keyof T['$inferInsert'] & string, string>> = {},
): Insert {
  const all = rows as readonly Record<string, unknown>[]
  const keys = new Set(all.flatMap((row) => Object.keys(row).filter((key) => row[key] !== undefined)))
  const name = JSON.stringify([[...keys], computed])
  const known = statements.get(table) ?? new Map<string, Statement>()
  statements.set(table, known)
  const statement = known.get(name) ?? statementFor(table, [...keys], computed as Record<string, string>)
  known.set(name, statement)
  return { statement, rows: all }
}

function statementFor(table: PgTable, keys: readonly string[], computed: Record<string, string>): Statement {
  const all: Record<string, PgColumn> = getTableColumns(table)
  const columnOf = (key: string) => {
    const column = all[key]
    if (!column) throw new Error(`${getTableName(table)} has no column ${key}.`)
    return column
  }
  const columns = keys.map((key) => [key, columnOf(key)] as const)
  const quoted = (column: PgColumn) => `"${column.keyAsName ? toSnakeCase(column.name) : column.name}"`
  const isJson = (column: PgColumn) => column.getSQLType() === 'jsonb'
  const names = [
    ...columns.map(([, column]) => quoted(column)),
    ...Object.keys(computed).map((key) => quoted(columnOf(key))),
  ]
  const values = [
    ...columns.map(([, column]) => `r.${quoted(column)}${isJson(column) ? '::jsonb' : ''}`),
    ...Object.values(computed),
  ]
  const types = columns.map(([, column]) => `${quoted(column)} ${isJson(column) ? 'text' : column.getSQLType()}`)
  return {
    columns,
    before: sql.raw(`insert into "${getTableName(table)}" (${names}) select ${values} from jsonb_to_recordset(`),
    after: sql.raw(`::jsonb) as r (${types})`),
  }
}

/**
 * Writes rows of one or several tables by one statement, however many they are: its text is the same for any number, so
 * that PostgreSQL plans it once, and each table's rows are one value. Rows may refer to each other; they get their
 * numbers in their order.
 * @throws from the database where a row does not fit; then none is written.
 */
export async function insertAll(db: Queryable, ...inserts: readonly Insert[]): Promise<void> {
  const parts = inserts.filter(({ rows }) => rows.length > 0).map(asSql)
  const last = parts.pop()
  if (!last) return
  const first = parts.map((part, index) => sql`${sql.raw(`i${index}`)} as (${part})`)
  await db.execute(first.length === 0 ? last : sql`with ${sql.join(first, sql`, `)} ${last}`)
}

function asSql({ statement: { before, after, columns }, rows }: Insert): SQL {
  const stored = rows.map((row) =>
    Object.fromEntries(
      columns.map(([key, column]) => {
        const value = row[key]
        return [
          column.keyAsName ? toSnakeCase(column.name) : column.name,
          value === null || value === undefined ? null : column.mapToDriverValue(value),
        ]
      }),
    ),
  )
  return sql`${before}${JSON.stringify(stored)}${after}`
}
