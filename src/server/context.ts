import type { Gateways } from '../gateways/registry.ts'
import type { Config } from './config.ts'
import type { Database } from './db/client.ts'
import type { Jobs } from './jobs.ts'
import type { Secrets } from './secrets.ts'

/** What services need of the outside; handed in, so that tests and the demo bring their own clock. */
export interface Services {
  config: Config
  db: Database
  gateways: Gateways
  jobs: Jobs
  secrets: Secrets
  now: () => Date
}
