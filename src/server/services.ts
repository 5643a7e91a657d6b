import { allGateways } from '../gateways/registry.ts'
import type { Config } from './config.ts'
import type { Services } from './context.ts'
import { connect, migrateDatabase } from './db/client.ts'
import { startJobs } from './jobs.ts'
import { loadSecrets } from './secrets.ts'

/** Opens everything that services stand on. `close` ends it in order. */
export async function openServices(config: Config, { work = false, now = () => new Date() } = {}) {
  const { db, pool } = connect(config.databaseUrl)
  await migrateDatabase(db)
  const { boss, jobs } = await startJobs(config.databaseUrl, work)
  const services: Services = {
    config,
    db,
    jobs,
    now,
    gateways: allGateways(config.standinsOrigin, config.origin),
    secrets: loadSecrets(config.dataDir),
  }
  const close = async () => {
    await boss.stop({ graceful: true, timeout: 5000 })
    await pool.end()
  }
  return { services, boss, close }
}
