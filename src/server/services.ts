import { allGateways } from '../gateways/registry.ts'
import { connect, migrateDatabase, oneAtATime, SERVICE_LIMITS } from './db/client.ts'
import type { Config } from './platform/config.ts'
import type { Services } from './platform/context.ts'
import { startJobs } from './platform/jobs.ts'
import { Limits } from './platform/limits.ts'
import { loadSecrets } from './platform/secrets.ts'

/** Opens everything that services stand on. `close` ends it in order. */
export async function openServices(config: Config, { work = false, now = () => new Date() } = {}) {
  const { db, pool } = connect(config.databaseUrl, config.databaseConnections, SERVICE_LIMITS)
  const {
    boss,
    jobs,
    close: closeJobs,
  } = await oneAtATime(config.databaseUrl, async () => {
    await migrateAlone(config.databaseUrl)
    return startJobs(config.databaseUrl, work)
  })
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

/** A migration takes the time that it needs, on a connection without limits. */
async function migrateAlone(url: string): Promise<void> {
  const { db, pool } = connect(url, 1)
  try {
    await migrateDatabase(db)
  } finally {
    await pool.end()
  }
}
