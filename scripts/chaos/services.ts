import { allGateways } from '../../src/gateways/registry.ts'
import type { Database } from '../../src/server/db/client.ts'
import type { Services } from '../../src/server/platform/context.ts'
import { NO_JOBS } from '../../src/server/platform/jobs.ts'
import { Limits } from '../../src/server/platform/limits.ts'
import { Secrets } from '../../src/server/platform/secrets.ts'

/** The same key in every process of a run, which holds nothing worth keeping. */
const KEY = Buffer.alloc(32, 7)

interface ChaosProcess {
  databaseUrl: string
  standinsOrigin: string
  origin?: string
  patienceMs: number
}

/** All its buyers come from one place. */
const UNLIMITED = 100_000

/**
 * The services of one process of the chaos run. Its jobs are not queued: its workers look for what is to be done.
 * @param patienceMs how long a gateway may take to answer.
 */
export function chaosServices(
  db: Database,
  { databaseUrl, standinsOrigin, origin = 'http://127.0.0.1', patienceMs }: ChaosProcess,
): Services {
  return {
    config: {
      port: 0,
      origin,
      standinsOrigin,
      mailPort: 0,
      databaseUrl,
      databaseConnections: 12,
      host: '127.0.0.1',
      trustedProxies: [],
      limits: {},
      retentionDays: 90,
      clockTolerance: Number.POSITIVE_INFINITY,
      dataDir: '',
      distDir: '',
    },
    db,
    jobs: { send: async () => {}, rows: () => NO_JOBS },
    gateways: allGateways(standinsOrigin, origin, patienceMs),
    secrets: new Secrets(KEY),
    limits: new Limits(db, UNLIMITED),
    now: () => new Date(),
  }
}
