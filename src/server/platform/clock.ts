import { hostname } from 'node:os'
import { and, eq, sql } from 'drizzle-orm'
import type { Queryable } from '../db/client.ts'
import { upkeep } from '../db/schema/index.ts'
import { log } from '../log/log.ts'
import { liveTime, type Services } from './context.ts'

/** Names this process among those that share a database. */
const PROCESS = `${hostname()} ${process.pid}`
/** What one process said of its clock counts for so long. */
const SAID_MINUTES = 5

/**
 * Whether this process's clock can be trusted with real money: it agrees with the database's. Where the two differ by more
 * than `CLOCK_TOLERANCE`, one of them has jumped, and a day too early or too late would be charged; it is logged, and
 * stands under attention.
 */
export async function isClockTrusted(services: Services): Promise<boolean> {
  const { clockTolerance } = services.config
  if (clockTolerance === Number.POSITIVE_INFINITY) return true
  const { db } = services
  const { rows } = await db.execute<{ at: number }>(sql`select (extract(epoch from now()) * 1000)::float8 as at`)
  const aheadSeconds = Math.round((liveTime(services).getTime() - Number(rows[0]?.at)) / 1000)
  const isTrusted = Math.abs(aheadSeconds) <= clockTolerance
  if (isTrusted) {
    await db.delete(upkeep).where(and(eq(upkeep.name, 'clock'), sql`${upkeep.data} ->> 'process' = ${PROCESS}`))
    return true
  }
  log('error', `this clock is ${describeAhead(aheadSeconds)} of the database’s: nothing is collected in Live`)
  const row = { at: sql`now()`, data: { aheadSeconds: String(aheadSeconds), process: PROCESS } }
  await db
    .insert(upkeep)
    .values({ name: 'clock', ...row })
    .onConflictDoUpdate({ target: upkeep.name, set: row })
  return false
}

/** Which process's clock differs, and since when it was said last; null where none does. */
export async function untrustedClock(db: Queryable): Promise<{ says: string; at: Date } | null> {
  const [row] = await db
    .select()
    .from(upkeep)
    .where(and(eq(upkeep.name, 'clock'), sql`${upkeep.at} > now() - make_interval(mins => ${SAID_MINUTES})`))
  if (!row) return null
  return { says: `${row.data.process}: ${describeAhead(Number(row.data.aheadSeconds))}`, at: row.at }
}

/** "3.5 hours ahead", "24 hours behind". */
function describeAhead(seconds: number): string {
  const hours = Math.round(Math.abs(seconds) / 360) / 10
  return `${hours} hours ${seconds > 0 ? 'ahead' : 'behind'}`
}
