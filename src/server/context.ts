import type { Gateways } from '../gateways/registry.ts'
import type { Config } from './config.ts'
import type { Database } from './db/client.ts'
import type { Mode } from './db/schema/columns.ts'
import { school } from './db/schema/index.ts'
import type { Jobs } from './jobs.ts'
import type { Secrets } from './secrets.ts'

/** What services need of the outside; handed in, so that tests and the demo bring their own clock. */
export interface Services {
  config: Config
  db: Database
  gateways: Gateways
  jobs: Jobs
  secrets: Secrets
  /** The clock; of practice, once the services were taken by {@link inMode}. */
  now: () => Date
  /** The mode whose clock this is; absent: no mode's, which is live time. */
  clockOf?: Mode
  /** Live time, where `now` may be practice's: sessions end by it. */
  liveNow?: () => Date
}

/** Live time, whatever clock the services were given. */
export function liveTime({ liveNow, now }: Services): Date {
  return (liveNow ?? now)()
}

/**
 * The services with the clock of a mode: practice time may run ahead (by so much as the school has moved it),
 * live time never does.
 */
export async function inMode(services: Services, mode: Mode): Promise<Services> {
  if (services.clockOf !== undefined || mode === 'live') return services
  const [row] = await services.db.select({ aheadMs: school.practiceAheadMs }).from(school)
  return withClock(services, mode, row?.aheadMs ?? 0)
}

/** The same for whoever knows how far practice time runs ahead. */
export function withClock(services: Services, mode: Mode, aheadMs: number): Services {
  if (services.clockOf !== undefined || mode === 'live') return services
  return { ...services, clockOf: mode, liveNow: services.now, now: () => new Date(services.now().getTime() + aheadMs) }
}
