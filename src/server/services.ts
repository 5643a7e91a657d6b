import { allGateways } from '../gateways/registry.ts'
import { fillPhases } from './agreements/phases.ts'
import { connect, migrateDatabase, oneAtATime, SERVICE_LIMITS } from './db/client.ts'
import type { Config } from './platform/config.ts'
import type { Services } from './platform/context.ts'
import { JOBS, type JobSource, jobsIn } from './platform/jobs.ts'
import { Limits } from './platform/limits.ts'
import { loadSecrets } from './platform/secrets.ts'

/** Opens everything that services stand on. `close` ends it in order. */
export async function openServices(
  config: Config,
  { now = () => new Date() } = {},
): Promise<{ services: Services; queue: JobSource; close: () => Promise<void> }> {
  await readyDatabase(config.databaseUrl)
  const { db, pool } = connect(config.databaseUrl, config.databaseConnections, SERVICE_LIMITS)
  const services: Services = {
    config,
    db,
    jobs: JOBS,
    now,
    gateways: allGateways(config.standinsOrigin, config.origin),
    secrets: loadSecrets(config.dataDir),
    limits: new Limits(db, config.limits),
  }
  return { services, queue: jobsIn(db), close: () => pool.end() }
}

/**
 * Brings a database to this version; where several processes start at once, one does and the others wait.
 * A migration takes the time that it needs, on a connection without limits.
 */
export async function readyDatabase(url: string): Promise<void> {
  await oneAtATime(url, async () => {
    const { db, pool } = connect(url, 1)
    try {
      await migrateDatabase(db)
      await fillPhases(db)
    } finally {
      await pool.end()
    }
  })
}
