import { getTableColumns, getTableName } from 'drizzle-orm'
import { toSnakeCase } from 'drizzle-orm/casing'
import type { PgColumn, PgTable } from 'drizzle-orm/pg-core'
import { type Queryable, runNamed } from './client.ts'

/** Rows of one table that are to be written, see {@link rowsOf}. */
export interface Insert {
  statement: Statement
  rows: readonly Record<string, unknown>[]
}

interface Statement {
  before: string
  after: string
  columns: readonly (readonly [key: string, column: PgColumn])[]
}

const statements = new WeakMap<PgTable, Map<string, Statement>>()

interface Options<K extends string> {
  /** Columns that PostgreSQL works out for each row `r`, as SQL that comes from code alone. */
  computed?: Partial<Record<K, string>>
  /** A row that is there already is passed over. */
  passesOver?: boolean
}

/** Rows for {@link insertAll}. What no row names takes its default; what only some name is null in the others. */
export function rowsOf<T extends PgTable>(
  table: T,
  rows: readonly T['$inferInsert'][],
  options: Options<keyof T['$inferInsert'] & string> = {},
): Insert {
  const all = rows as readonly Record<string, unknown>[]
  const keys = new Set(all.flatMap((row) => Object.keys(row).filter((key) => row[key] !== undefined)))
  const name = JSON.stringify([[...keys], options])
  const known = statements.get(table) ?? new Map<string, Statement>()
  statements.set(table, known)
  const statement = known.get(name) ?? statementFor(table, [...keys], options)
  known.set(name, statement)
  return { statement, rows: all }
}

function statementFor(table: PgTable, keys: readonly string[], options: Options<string>): Statement {
  const { computed = {}, passesOver = false } = options
  const all: Record<string, PgColumn> = getTableColumns(table)
  const columnOf = (key: string) => {
    const column = all[key]
    if (!column) throw new Error(`${getTableName(table)} has no column ${key}.`)
    return column
  }
  const columns = keys.map((key) => [key, columnOf(key)] as const)
  const written = [...new Set([...keys, ...Object.keys(computed)])]
  const names = written.map((key) => quoted(columnOf(key)))
  const values = written.map((key) => computed[key] ?? given(columnOf(key)))
  return {
    columns,
    before: `insert into "${getTableName(table)}" (${names}) select ${values} from jsonb_to_recordset(`,
    after: `::jsonb) as r (${columns.map(([, column]) => typed(column))})${passesOver ? ' on conflict do nothing' : ''}`,
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
 * @param empty a column in which a row must have nothing yet to be changed.
 */
export async function updateAll<T extends PgTable>(
  db: Queryable,
  table: T,
  by: keyof T['$inferInsert'] & string,
  rows: readonly Partial<T['$inferInsert']>[],
  empty: (keyof T['$inferInsert'] & string) | null = null,
): Promise<void> {
  const [first] = rows
  if (!first) return
  const all: Record<string, PgColumn> = getTableColumns(table)
  const columns = Object.keys(first).map((key) => [key, all[key] as PgColumn] as const)
  const set = columns.flatMap(([key, column]) => (key === by ? [] : [`${quoted(column)} = ${given(column)}`]))
  const types = columns.map(([, column]) => typed(column))
  const own = `"${getTableName(table)}"`
  const key = quoted(all[by] as PgColumn)
  const text = `update ${own} set ${set} from jsonb_to_recordset($1::jsonb) as r (${types})
    where ${own}.${key} = r.${key}${empty === null ? '' : ` and ${own}.${quoted(all[empty] as PgColumn)} is null`}`
  await runNamed(db, text, [JSON.stringify(stored(columns, rows))])
}

/**
 * Writes rows of one or several tables by one statement, however many they are: its text is the same for any number, so
 * that PostgreSQL plans it once a connection, and each table's rows are one value. Rows may refer to each other; they get
 * their numbers in their order.
 * @throws from the database where a row does not fit; then none is written.
 */
export async function insertAll(db: Queryable, ...inserts: readonly Insert[]): Promise<void> {
  const written = inserts.filter(({ rows }) => rows.length > 0)
  if (written.length === 0) return
  const parts = written.map(({ statement: { before, after } }, index) => `${before}$${index + 1}${after}`)
  const last = parts.pop()
  const first = parts.map((part, index) => `i${index} as (${part})`)
  await runNamed(
    db,
    first.length === 0 ? `${last}` : `with ${first} ${last}`,
    written.map(({ statement: { columns }, rows }) => JSON.stringify(stored(columns, rows))),
  )
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
