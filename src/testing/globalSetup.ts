import { dropDatabase } from '../../scripts/databases.ts'
import { ensureDatabase, startCluster } from '../../scripts/postgres.ts'
import { connect, migrateDatabase } from '../server/db/client.ts'

/** A cluster for tests alone, beside any started product. Nothing in it outlives a crash, on purpose. */
export const TEST_PORT = Number(process.env.TEST_DATABASE_PORT ?? 7430)
export const TEMPLATE = 'acorn_template'

export const testUrl = (database: string) => `postgres://acorn@127.0.0.1:${TEST_PORT}/${database}`

/** Starts the cluster and makes the migrated database from which every test file gets its copy. */
export default async function setup() {
  const cluster = await startCluster({ dir: '.data/test-postgres', port: TEST_PORT, fsync: false })
  await dropDatabase(testUrl(TEMPLATE))
  await ensureDatabase(testUrl(TEMPLATE))
  const { db, pool } = connect(testUrl(TEMPLATE), 1)
  await migrateDatabase(db)
  await pool.end()
  return cluster.stop
}
