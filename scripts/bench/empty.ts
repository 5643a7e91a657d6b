import { randomBytes } from 'node:crypto'
import { allGateways } from '../../src/gateways/registry.ts'
import { connect, migrateDatabase } from '../../src/server/db/client.ts'
import { type Config, readConfig } from '../../src/server/platform/config.ts'
import type { Services } from '../../src/server/platform/context.ts'
import { NO_JOBS } from '../../src/server/platform/jobs.ts'
import { Limits } from '../../src/server/platform/limits.ts'
import { Secrets } from '../../src/server/platform/secrets.ts'
import { setUpSchool } from '../../src/testing/school.ts'
import { dropDatabase } from '../databases.ts'
import { ensureDatabase, startCluster } from '../postgres.ts'

/** A school with nothing in it, on a cluster that really writes to disk, for measuring services; nothing is queued. */
export async function openEmpty(): Promise<{ services: Services; close: () => Promise<void> }> {
  const cluster = await startCluster({ dir: '.data/bench-postgres', port: 7630 })
  const databaseUrl = cluster.url('acorn_bench_services')
  await dropDatabase(databaseUrl)
  await ensureDatabase(databaseUrl)
  const { services, end } = servicesFor({ ...readConfig(), databaseUrl })
  await migrateDatabase(services.db)
  await setUpSchool(services, 'Bench', 'owner@bench.example')
  const close = async () => {
    await end()
    await dropDatabase(databaseUrl)
    cluster.stop()
  }
  return { services, close }
}

/** Services on a database, by whose side the product may run; nothing is queued. */
export function servicesFor(config: Config): { services: Services; end: () => Promise<void> } {
  const { db, pool } = connect(config.databaseUrl, 4)
  const services: Services = {
    config,
    db,
    jobs: { send: async () => {}, rows: () => NO_JOBS },
    now: () => new Date(),
    gateways: allGateways(config.standinsOrigin, config.origin),
    secrets: new Secrets(randomBytes(32)),
    limits: new Limits(db, 100_000),
  }
  return { services, end: () => pool.end() }
}
