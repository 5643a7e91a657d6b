import { allGateways } from '../gateways/registry.ts'
import { connect, migrateDatabase, oneAtATime, SERVICE_LIMITS } from './db/client.ts'
import type { Config } from './platform/config.ts'
import type { Services } from './platform/context.ts'
import { startJobs } from './platform/jobs.ts'
import { Limits } from './platform/limits.ts'
import { loadSecrets } from './platform/secrets.ts'

/** Opens everything that services stand on. `close` ends it in order. */
export async function openServices(config: Config, { work = false, now = () => new Date() } = {}) {
  await readyDatabase(config.databaseUrl)
  const { db, pool } = connect(config.databaseUrl, config.databaseConnections, SERVICE_LIMITS)
  const { boss, jobs, close: closeJobs } = await startJobs(config.databaseUrl, work)
  const services: Services = {
    config,
    db,
    jobs,
    now,
    gateways: allGateways(config.standinsOrigin, config.origin),
    secrets: loadSecrets(config.dataDir),
    limits: new Limits(db, config.limits),
  }
  const close = async () => {
    await closeJobs()
    await pool.end()
  }
  return { services, boss, close }
}

/**
 * Brings a database to this version, with its queues; where several processes start at once, one does and the others wait.
 * A migration takes the time that it needs, on a connection without limits.
 */
export async function readyDatabase(url: string): Promise<void> {
  await oneAtATime(url, async () => {
    const { db, pool } = connect(url, 1)
    try {
      await migrateDatabase(db)
    } finally {
      await pool.end()
    }
    await (await startJobs(url, false)).close()
  })
}
