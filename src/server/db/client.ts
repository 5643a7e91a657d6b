import { AsyncLocalStorage } from 'node:async_hooks'
import { createHash } from 'node:crypto'
import { readFileSync } from 'node:fs'
import type { Writable } from 'node:stream'
import { fileURLToPath } from 'node:url'
import { sql } from 'drizzle-orm'
import { drizzle, type NodePgDatabase } from 'drizzle-orm/node-postgres'
import { migrate } from 'drizzle-orm/node-postgres/migrator'
import pg from 'pg'
import { log } from '../log/log.ts'
import * as schema from './schema/index.ts'

/** The database by its pool, which a transaction has not: it cannot be handed to what takes connections of its own. */
export type Database = NodePgDatabase<typeof schema> & { $client: pg.Pool }
export type Transaction = Parameters<Parameters<NodePgDatabase<typeof schema>['transaction']>[0]>[0]
/** The database, or a transaction in it. */
export type Queryable = Database | Transaction

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
  /** The same of the small statements that share one connection. */
  smallAnswer: number
}

/** What a server or worker keeps to; migrations and scripts take the time that they need. */
export const SERVICE_LIMITS: DatabaseLimits = {
  acquire: 5_000,
  statement: 20_000,
  idleInTransaction: 20_000,
  answer: 25_000,
  smallAnswer: 8_000,
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

const MIGRATIONS = fileURLToPath(new URL('./migrations', import.meta.url))

/**
 * Names every statement by its text, so that PostgreSQL parses and plans it once a connection. The
 * texts come from code alone; values are parameters.
 */
class PreparingClient extends pg.Client {
  #isCorked = false

  constructor(config?: pg.ClientConfig) {
    super(config)
    const query = this.query.bind(this) as (...args: unknown[]) => unknown
    const prepared = (...args: unknown[]) => {
      const [config, values] = args as [pg.QueryConfig | string, unknown[] | undefined]
      this.#sendTogether()
      const isNameable = typeof config === 'object' && !config.name && Array.isArray(values) && values.length > 0
      return isNameable ? query({ ...config, name: nameOf(config.text) }, ...args.slice(1)) : query(...args)
    }
    this.query = prepared as typeof this.query
  }

  /** Statements that are asked for in one go are sent in one: each write costs as much as a small statement. */
  #sendTogether() {
    if (this.#isCorked) return
    const { stream } = (this as unknown as { connection: { stream: Writable } }).connection
    this.#isCorked = true
    stream.cork()
    setImmediate(() => {
      this.#isCorked = false
      stream.uncork()
    })
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

/** Marks what runs inside a transaction, so that it cannot take a second connection. */
const insideTransaction = new AsyncLocalStorage<boolean>()

/** Whether a transaction is under way for whoever asks. */
export function isInsideTransaction(): boolean {
  return insideTransaction.getStore() ?? false
}

/** The database of the one connection that a transaction has. */
const beneath = new WeakMap<Queryable, Database>()

/** What lasts longer than a transaction: the database of the connection on which it runs. Outside of one, the database itself. */
export function lastingBeneath(db: Queryable): Queryable {
  return beneath.get(db) ?? db
}

/** The database of the connection that small statements share. */
const shared = new WeakMap<Queryable, Database>()

/**
 * Where small statements go that PostgreSQL answers at once: in a transaction there; outside, on one connection for all,
 * which sends those of one moment together. What is written on it is safe only once anything else was committed after
 * it: a fall of the database may forget the last half second.
 */
export function onShared(db: Queryable): Queryable {
  return beneath.get(db) ?? shared.get(db) ?? db
}

/**
 * Opens a pool of connections. Inside a transaction the pool refuses a second one, by {@link SecondConnection}.
 * @throws from statements where `limits` are passed; without them nothing is cut off.
 */
export function connect(url: string, connections = 10, limits?: DatabaseLimits): { db: Database; pool: pg.Pool } {
  const config = {
    connectionString: url,
    pipeline: true,
    // Reads by an index cost little on today's disks, and lists are short: no plan is worth compiling.
    options: '-c random_page_cost=1.1 -c jit=off',
    ...(limits ? limitsOf(limits) : KEPT_ALIVE),
  }
  const pool = new pg.Pool({ ...config, max: connections, Client: PreparingClient } as pg.PoolConfig)
  // An idle connection that the server ends is replaced by the pool; it must not end this process.
  pool.on('error', (error) => log('error', `database: ${error.message}`))
  refuseInsideTransactions(pool)
  const isBroken = throwAwayBroken(pool)
  const db = drizzle(pool, { schema, casing: 'snake_case' })
  const small = new SharedConnection({
    ...config,
    options: `${config.options} -c synchronous_commit=off -c plan_cache_mode=force_generic_plan`,
    ...(limits && { query_timeout: limits.smallAnswer }),
  })
  shared.set(db, on(small))
  const end = pool.end.bind(pool) as () => Promise<void>
  pool.end = async () => {
    await small.end()
    await end()
  }
  const byConnection = new WeakMap<pg.PoolClient, Database>()
  db.transaction = async (run, config) => {
    const client = await pool.connect()
    let failed: unknown = null
    try {
      const own = byConnection.get(client) ?? on(beginningTogether(client))
      byConnection.set(client, own)
      return await own.transaction((tx) => {
        beneath.set(tx, own)
        return insideTransaction.run(true, () => run(tx))
      }, config)
    } catch (error) {
      failed = error
      throw error
    } finally {
      client.release(isBroken(client, failed))
    }
  }
  return { db, pool }
}

/** Messages of errors after which a connection cannot be used any more. */
const BROKEN = /query read timeout|connection terminated|not queryable|EPIPE|ECONNRESET|ETIMEDOUT/i

/**
 * Lets a pool throw away, when they are asked for, the connections that are older than the last one that broke: where one
 * was cut off, by a silent network, a reset or a restart, its neighbours were too, and nobody should meet each in turn.
 * One that breaks while it is used fails the statements of whoever uses it, and nobody else.
 * @returns whether a connection broke while something was done with it.
 */
function throwAwayBroken(pool: pg.Pool): (client: pg.PoolClient, failed: unknown) => boolean {
  const bornAt = new WeakMap<pg.PoolClient, number>()
  const broken = new WeakSet<pg.PoolClient>()
  let brokeAt = 0
  const breaks = (client: pg.PoolClient) => {
    broken.add(client)
    brokeAt = performance.now()
  }
  pool.on('connect', (client) => {
    bornAt.set(client, performance.now())
    client.on('error', () => breaks(client))
  })
  const take = pool.connect.bind(pool) as () => Promise<pg.PoolClient>
  const takeWhole = async () => {
    for (;;) {
      const client = await take()
      if ((bornAt.get(client) ?? 0) >= brokeAt) return client
      client.release(true)
    }
  }
  type Taken = (error: Error | undefined, client?: pg.PoolClient, done?: pg.PoolClient['release']) => void
  pool.connect = ((taken?: Taken) => {
    if (!taken) return takeWhole()
    // Behind the promise, so that what the taker throws is the taker's.
    takeWhole().then(
      (client) => setImmediate(taken, undefined, client, client.release.bind(client)),
      (error: Error) => setImmediate(taken, error),
    )
  }) as typeof pool.connect
  return (client, failed) => {
    for (let at = failed, depth = 0; at instanceof Error && depth < 4; at = at.cause, depth++) {
      if (BROKEN.test(`${(at as { code?: unknown }).code} ${at.message}`)) breaks(client)
    }
    return broken.has(client)
  }
}

/** What statements are sent to. */
type Querying = Pick<pg.PoolClient, 'query'>

function on(client: Querying): Database {
  return drizzle(client as pg.Pool, { schema, casing: 'snake_case' })
}

/**
 * A connection whose transactions begin with their first statement, instead of a way there and back before it. A `begin`
 * fails only where the connection has ended, and then what follows it fails too.
 */
function beginningTogether(client: pg.PoolClient): Querying {
  const query = client.query.bind(client) as (...args: unknown[]) => Promise<unknown>
  return {
    query: ((...args: unknown[]) => {
      const [statement] = args as [{ text?: string }]
      if (!statement.text?.startsWith('begin')) return query(...args)
      query(...args).catch(() => {})
      return Promise.resolve({ rows: [] })
    }) as Querying['query'],
  }
}

/** One connection on which many ask at the same time; opened when it is needed, and anew after it ended. */
class SharedConnection implements Querying {
  readonly #config: pg.ClientConfig
  #open: Promise<pg.Client> | null = null

  constructor(config: pg.ClientConfig) {
    this.#config = config
  }

  query = (async (...args: unknown[]) => {
    if (insideTransaction.getStore()) throw new SecondConnection(ONLY_THAT)
    this.#open ??= this.#connect()
    const client = await this.#open
    return (client.query as (...args: unknown[]) => unknown)(...args)
  }) as Querying['query']

  async #connect(): Promise<pg.Client> {
    const client = new PreparingClient(this.#config)
    const forget = () => {
      this.#open = null
    }
    // Whoever asked on it is told; the next who asks gets another.
    client.on('error', forget)
    client.on('end', forget)
    try {
      await client.connect()
      return client
    } catch (error) {
      forget()
      throw error
    }
  }

  async end(): Promise<void> {
    const client = await this.#open?.catch(() => null)
    await client?.end()
  }
}

function refuseInsideTransactions(pool: pg.Pool) {
  const take = pool.connect.bind(pool) as (...args: unknown[]) => unknown
  pool.connect = ((...args: unknown[]) => {
    if (insideTransaction.getStore()) {
      throw new SecondConnection(ONLY_THAT)
    }
    return take(...args)
  }) as typeof pool.connect
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
  await migrate(db, { migrationsFolder: MIGRATIONS })
}
