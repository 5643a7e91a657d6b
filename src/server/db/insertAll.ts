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
  const names = [
    ...columns.map(([, column]) => quoted(column)),
    ...Object.keys(computed).map((key) => quoted(columnOf(key))),
  ]
  const values = [...columns.map(([, column]) => given(column)), ...Object.values(computed)]
  return {
    columns,
    before: sql.raw(`insert into "${getTableName(table)}" (${names}) select ${values} from jsonb_to_recordset(`),
    after: sql.raw(`::jsonb) as r (${columns.map(([, column]) => typed(column))})`),
  }
}

const nameOf = (column: PgColumn) => (column.keyAsName ? toSnakeCase(column.name) : column.name)
const quoted = (column: PgColumn) => `"${nameOf(column)}"`
const isJson = (column: PgColumn) => column.getSQLType() === 'jsonb'
/** A column of the rows `r` that were given. */
const given = (column: PgColumn) => `r.${quoted(column)}${isJson(column) ? '::jsonb' : ''}`
const typed = (column: PgColumn) => `${quoted(column)} ${isJson(column) ? 'text' : column.getSQLType()}`

/**
 * Changes rows of a table by one statement, however many they are. Every row names the same columns.
 * @param by the column that tells which row is meant.
 * @param where a further condition that a row must meet to be changed.
 */
export async function updateAll<T extends PgTable>(
  db: Queryable,
  table: T,
  by: keyof T['$inferInsert'] & string,
  rows: readonly Partial<T['$inferInsert']>[],
  where: SQL = sql`true`,
): Promise<void> {
  const [first] = rows
  if (!first) return
  const all: Record<string, PgColumn> = getTableColumns(table)
  const columns = Object.keys(first).map((key) => [key, all[key] as PgColumn] as const)
  const set = columns.flatMap(([key, column]) => (key === by ? [] : [`${quoted(column)} = ${given(column)}`]))
  const types = columns.map(([, column]) => typed(column))
  const found = sql.raw(`${quoted(all[by] as PgColumn)} = r.${quoted(all[by] as PgColumn)}`)
  await db.execute(sql`update ${table} set ${sql.raw(String(set))}
    from jsonb_to_recordset(${JSON.stringify(stored(columns, rows))}::jsonb) as r (${sql.raw(String(types))})
    where ${table}.${found} and ${where}`)
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
  return sql`${before}${JSON.stringify(stored(columns, rows))}${after}`
}

/** Rows as they are sent, by the names that their columns have in the database. */
function stored(columns: Statement['columns'], rows: readonly Record<string, unknown>[]) {
  return rows.map((row) =>
    Object.fromEntries(
      columns.map(([key, column]) => {
        const value = row[key]
        return [nameOf(column), value === null || value === undefined ? null : column.mapToDriverValue(value)]
      }),
    ),
  )
}
