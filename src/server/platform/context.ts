import type { Gateways } from '../../gateways/registry.ts'
import { type Database, type Queryable, type Transaction, transaction } from '../db/client.ts'
import { compiled } from '../db/compiled.ts'
import type { Mode } from '../db/schema/columns.ts'
import { school } from '../db/schema/index.ts'
import type { Config } from './config.ts'
import type { Jobs } from './jobs.ts'
import type { Limits } from './limits.ts'
import type { Secrets } from './secrets.ts'

/** A request with a key (`Idempotency-Key`), which happens once however often it is sent (`keyedRequest.ts`). */
export interface KeyedRequest {
  id: string
  /** What its transaction committed, where the one who began it could not answer any more. */
  result: { value: unknown } | null
}

/** What services need of the outside but the database; handed in, so that tests and the demo bring their own clock. */
export interface Tools {
  config: Config
  gateways: Gateways
  jobs: Jobs
  secrets: Secrets
  limits: Limits
  /** The clock; of practice, once the services were taken by {@link inMode}. */
  now: () => Date
  /** The mode whose clock this is; absent: no mode's, which is live time. */
  clockOf?: Mode
  /** Live time, where `now` may be practice's: sessions end by it. */
  liveNow?: () => Date
  /** The request with a key that is being answered; absent where nobody asked with one. */
  request?: KeyedRequest
}

/** What a service works with: it may begin transactions and call gateways. */
export interface Services extends Tools {
  db: Database
}

/**
 * What a service works with inside a transaction: its database is that transaction, and nothing that takes a
 * connection of its own or calls a gateway accepts it.
 */
export interface Within extends Tools {
  db: Transaction
}

/** For what only asks and writes, inside a transaction or outside. */
export interface WithDatabase extends Tools {
  db: Queryable
}

/** Runs `work` in one transaction; all it needs of the database it takes from what it is given. */
export function inTransaction<T>(services: Services, work: (within: Within) => Promise<T>): Promise<T> {
  return transaction(services.db, (tx) => work({ ...services, db: tx }))
}

/** Live time, whatever clock the services were given. */
export function liveTime({ liveNow, now }: Pick<Tools, 'liveNow' | 'now'>): Date {
  return (liveNow ?? now)()
}

const readAhead = compiled()((db) => db.select({ aheadMs: school.practiceAheadMs }).from(school))

/**
 * The services with the clock of a mode: practice time may run ahead (by so much as the school has moved it),
 * live time never does.
 */
export async function inMode<S extends WithDatabase>(services: S, mode: Mode): Promise<S> {
  if (services.clockOf !== undefined || mode === 'live') return services
  const [row] = await readAhead(services.db, {})
  return withClock(services, mode, row?.aheadMs ?? 0)
}

/** The same for whoever knows how far practice time runs ahead. */
export function withClock<S extends Tools>(services: S, mode: Mode, aheadMs: number): S {
  if (services.clockOf !== undefined || mode === 'live') return services
  return { ...services, clockOf: mode, liveNow: services.now, now: () => new Date(services.now().getTime() + aheadMs) }
}
