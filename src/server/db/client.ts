import { createHash } from 'node:crypto'
import { readFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import { sql } from 'drizzle-orm'
import { drizzle, type NodePgDatabase } from 'drizzle-orm/node-postgres'
import { migrate } from 'drizzle-orm/node-postgres/migrator'
import pg from 'pg'
import * as schema from './schema/index.ts'

export type Database = NodePgDatabase<typeof schema>
export type Transaction = Parameters<Parameters<Database['transaction']>[0]>[0]
/** The database, or a transaction in it. */
export type Queryable = Database | Transaction

const MIGRATIONS = fileURLToPath(new URL('./migrations', import.meta.url))

/**
 * Names every statement by its text, so that PostgreSQL parses and plans it once a connection. The
 * texts come from code alone; values are parameters.
 */
class PreparingClient extends pg.Client {
  constructor(config?: pg.ClientConfig) {
    super(config)
    const query = this.query.bind(this) as (...args: unknown[]) => unknown
    const prepared = (...args: unknown[]) => {
      const [config, values] = args as [pg.QueryConfig | string, unknown[] | undefined]
      const isNameable = typeof config === 'object' && !config.name && Array.isArray(values) && values.length > 0
      return isNameable ? query({ ...config, name: nameOf(config.text) }, ...args.slice(1)) : query(...args)
    }
    this.query = prepared as typeof this.query
  }
}

const names = new Map<string, string>()

function nameOf(text: string): string {
  let name = names.get(text)
  if (!name) {
    name = createHash('sha1').update(text).digest('base64url')
    names.set(text, name)
  }
  return name
}

export function connect(url: string, connections = 10): { db: Database; pool: pg.Pool } {
  const pool = new pg.Pool({
    connectionString: url,
    max: connections,
    Client: PreparingClient,
    pipeline: true,
    // Reads by an index cost little on today's disks, and lists are short: no plan is worth compiling.
    options: '-c random_page_cost=1.1 -c jit=off',
  } as pg.PoolConfig)
  // An idle connection that the server ends is replaced by the pool; it must not end this process.
  pool.on('error', (error) => console.error(`database: ${error.message}`))
  return { db: drizzle(pool, { schema, casing: 'snake_case' }), pool }
}

/** The database was made by a newer version of the product than this one. */
export class DatabaseIsNewer extends Error {
  override name = 'DatabaseIsNewer'
}

/**
 * Brings the database to this version.
 * @throws DatabaseIsNewer where it holds migrations that this version does not know.
 */
export async function migrateDatabase(db: Database): Promise<void> {
  const known = JSON.parse(readFileSync(`${MIGRATIONS}/meta/_journal.json`, 'utf8')) as { entries: { when: number }[] }
  const newest = Math.max(...known.entries.map((entry) => entry.when))
  const table = await db.execute(sql`select to_regclass('drizzle.__drizzle_migrations') is not null as made`)
  if (table.rows[0]?.made) {
    const applied = await db.execute(sql`select max(created_at)::float8 as newest from drizzle.__drizzle_migrations`)
    if (Number(applied.rows[0]?.newest ?? 0) > newest) {
      throw new DatabaseIsNewer(
        'The database was made by a newer version of Young Acorn. Start that version, or use another database.',
      )
    }
  }
  await migrate(db, { migrationsFolder: MIGRATIONS })
}
