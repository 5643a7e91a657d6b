import { AsyncLocalStorage } from 'node:async_hooks'
import { readFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import { DrizzleQueryError, sql } from 'drizzle-orm'
import { drizzle, type NodePgDatabase } from 'drizzle-orm/node-postgres'
import { migrate } from 'drizzle-orm/node-postgres/migrator'
import pg from 'pg'
import { log } from '../log/log.ts'
import * as schema from './schema/index.ts'

/** The database, one connection of it, or a transaction in it. */
export type Queryable = Omit<NodePgDatabase<typeof schema>, 'transaction'>
/**
 * The database by its pool, which a transaction has not: it cannot be handed to what takes connections of its own.
 * Transactions in it are begun by {@link transaction}.
 */
export type Database = Queryable & { $client: OwnPool }
export type Transaction = Parameters<Parameters<NodePgDatabase<typeof schema>['transaction']>[0]>[0]
type OneConnection = NodePgDatabase<typeof schema>

/** A service asked for a second connection inside a transaction: enough of those at once would wait for each other. */
export class SecondConnection extends Error {
  override name = 'SecondConnection'
}

const ONLY_THAT = 'Inside a transaction only that transaction may be used.'

/** How long things of the database may take, in milliseconds. */
export interface DatabaseLimits {
  /** Waiting for a free connection. */
  acquire: number
  statement: number
  /** Between two statements of a transaction. */
  idleInTransaction: number
  /**
   * An answer of the database, as this process keeps it: longer than a statement may take there. What is not answered by
   * then is never answered, as where the network between the two has gone silent; the connection is thrown away.
   */
  answer: number
}

/** What a server or worker keeps to; migrations and scripts take the time that they need. */
export const SERVICE_LIMITS: DatabaseLimits = {
  acquire: 5_000,
  statement: 20_000,
  idleInTransaction: 20_000,
  answer: 25_000,
}

/** Settings of every connection that a server or worker opens. */
function limitsOf(limits: DatabaseLimits): pg.PoolConfig {
  return {
    ...KEPT_ALIVE,
    connectionTimeoutMillis: limits.acquire,
    statement_timeout: limits.statement,
    lock_timeout: limits.statement,
    idle_in_transaction_session_timeout: limits.idleInTransaction,
    query_timeout: limits.answer,
  }
}

/** The system asks after the other end of a connection that is idle. */
const KEPT_ALIVE = { keepAlive: true, keepAliveInitialDelayMillis: 10_000 }

/** What drizzle knows of our tables. */
const OURS = { schema, casing: 'snake_case' } as const

const MIGRATIONS = fileURLToPath(new URL('./migrations', import.meta.url))

/** Marks what runs inside a transaction, so that it cannot take a second connection. */
const insideTransaction = new AsyncLocalStorage<boolean>()

/** The database of the one connection that a transaction has. */
const beneath = new WeakMap<Queryable, OneConnection>()

/** What lasts longer than a transaction: the database of the connection on which it runs. Outside of one, the database itself. */
export function lastingBeneath(db: Queryable): Queryable {
  return beneath.get(db) ?? db
}

/** Names of statements, by their text. */
const names = new Map<string, string>()

/**
 * Runs a statement that is written as text, under a name, so that PostgreSQL parses and plans it once a connection. Its
 * text comes from code alone, and is one of few: what differs stands in the values.
 */
export async function runNamed(db: Queryable, text: string, values: readonly unknown[]): Promise<pg.QueryResult> {
  const name = names.get(text) ?? `named_${names.size + 1}`
  names.set(text, name)
  const { $client } = lastingBeneath(db) as Queryable & { $client: OwnPool | pg.PoolClient }
  try {
    return await $client.query({ name, text, values: [...values] })
  } catch (error) {
    throw new DrizzleQueryError(text, [...values], error as Error)
  }
}

/**
 * Opens a pool of connections. Inside a transaction the pool refuses a second one, by {@link SecondConnection}.
 * @throws from statements where `limits` are passed; without them nothing is cut off.
 */
export function connect(url: string, connections = 10, limits?: DatabaseLimits): { db: Database; pool: pg.Pool } {
  const pool = new OwnPool({
    connectionString: url,
    max: connections,
    pipeline: true,
    // Reads by an index cost little on today's disks, and lists are short: no plan is worth compiling.
    options: '-c random_page_cost=1.1 -c jit=off',
    ...(limits ? limitsOf(limits) : KEPT_ALIVE),
  } as pg.PoolConfig)
  return { db: drizzle(pool, OURS), pool }
}

/** The databases of single connections, which keep the statements that were built for them. */
const byConnection = new WeakMap<pg.PoolClient, OneConnection>()

/**
 * Runs `work` in one transaction on a connection of its own, and throws that connection away where it broke.
 * @throws what `work` throws, with nothing of it stored; {@link SecondConnection} inside another transaction.
 */
export async function transaction<T>({ $client: pool }: Database, work: (tx: Transaction) => Promise<T>): Promise<T> {
  const client = await pool.connect()
  let failed: unknown = null
  try {
    const own = byConnection.get(client) ?? drizzle(client, OURS)
    byConnection.set(client, own)
    return await own.transaction((tx) => {
      beneath.set(tx, own)
      return insideTransaction.run(true, () => work(tx))
    })
  } catch (error) {
    failed = error
    throw error
  } finally {
    client.release(pool.isBroken(client, failed))
  }
}

/** Messages of errors after which a connection cannot be used any more. */
const BROKEN = /query read timeout|connection terminated|not queryable|EPIPE|ECONNRESET|ETIMEDOUT/i

type Taken = (error: Error | undefined, client?: pg.PoolClient, done?: pg.PoolClient['release']) => void

/**
 * A pool that refuses a second connection to whoever is in a transaction, and throws away, when they are asked for, the
 * connections that are older than the last one that broke: where one was cut off, by a silent network, a reset or a
 * restart, its neighbours were too, and nobody should meet each in turn. One that breaks while it is used fails the
 * statements of whoever uses it, and nobody else.
 */
class OwnPool extends pg.Pool {
  readonly #bornAt = new WeakMap<pg.PoolClient, number>()
  readonly #broken = new WeakSet<pg.PoolClient>()
  #brokeAt = 0

  constructor(config: pg.PoolConfig) {
    super(config)
    // An idle connection that the server ends is replaced by the pool; it must not end this process.
    this.on('error', (error) => log('error', `database: ${error.message}`))
    this.on('connect', (client) => {
      this.#bornAt.set(client, performance.now())
      client.on('error', () => this.#breaks(client))
    })
  }

  override connect(): Promise<pg.PoolClient>
  override connect(taken: Taken): undefined
  override connect(taken?: Taken): Promise<pg.PoolClient> | undefined {
    if (insideTransaction.getStore()) throw new SecondConnection(ONLY_THAT)
    if (!taken) return this.#take()
    // Behind the promise, so that what the taker throws is the taker's.
    this.#take().then(
      (client) => setImmediate(taken, undefined, client, client.release.bind(client)),
      (error: Error) => setImmediate(taken, error),
    )
    return undefined
  }

  /** Whether a connection broke while something was done with it, which may have failed. */
  isBroken(client: pg.PoolClient, failed: unknown): boolean {
    for (let at = failed, depth = 0; at instanceof Error && depth < 4; at = at.cause, depth++) {
      if (BROKEN.test(`${(at as { code?: unknown }).code} ${at.message}`)) this.#breaks(client)
    }
    return this.#broken.has(client)
  }

  async #take(): Promise<pg.PoolClient> {
    for (;;) {
      const client = await super.connect()
      if ((this.#bornAt.get(client) ?? 0) >= this.#brokeAt) return client
      client.release(true)
    }
  }

  #breaks(client: pg.PoolClient): void {
    this.#broken.add(client)
    this.#brokeAt = performance.now()
  }
}

/** The database was made by a newer version of the product than this one. */
export class DatabaseIsNewer extends Error {
  override name = 'DatabaseIsNewer'
}

/** Every process that starts takes this lock of the database before it changes what the database is made of. */
const STARTING = 7_310_001

/**
 * Runs `work` while no other process starts on this database: the second waits, and finds all of it done.
 * @param url of the database, for a connection that holds nothing else.
 */
export async function oneAtATime<T>(url: string, work: () => Promise<T>): Promise<T> {
  const client = new pg.Client({ connectionString: url, ...KEPT_ALIVE })
  // Where it ends, its lock does too; what is under way fails by itself.
  client.on('error', (error) => log('error', `database: ${error.message}`))
  await client.connect()
  try {
    await client.query('select pg_advisory_lock($1)', [STARTING])
    return await work()
  } finally {
    await client.end()
  }
}

/**
 * Brings the database to this version. Where several processes may start at once, by one of them ({@link oneAtATime}).
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
  await migrate(drizzle(db.$client, OURS), { migrationsFolder: MIGRATIONS })
}
