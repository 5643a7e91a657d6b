import { eq, sql } from 'drizzle-orm'
import type { Queryable } from '../db/client.ts'
import { compiled } from '../db/compiled.ts'
import { upkeep } from '../db/schema/index.ts'
import { Problem } from '../http/problem.ts'

/** So far order numbers go on after a restore: what was given out since the backup is not given out twice. */
const NUMBERS_AHEAD = 10_000

/** Writes down that a backup is made, so that whoever puts it back knows from when on something may be missing. */
export async function markBackup(db: Queryable, at: Date): Promise<void> {
  await db.insert(upkeep).values({ name: 'backup', at }).onConflictDoUpdate({ target: upkeep.name, set: { at } })
}

/**
 * Readies a database that was put back: nothing is collected or ordered before the gateways' books were compared with
 * it; order numbers and references go on well ahead; and what let people in since may not let them in again.
 */
export async function markRestored(db: Queryable, at: Date): Promise<void> {
  const [backup] = await db.select().from(upkeep).where(eq(upkeep.name, 'backup'))
  const since = { since: (backup?.at ?? new Date(0)).toISOString() }
  await db
    .insert(upkeep)
    .values({ name: 'restored', at, data: since })
    .onConflictDoUpdate({ target: upkeep.name, set: { at, data: since } })
  for (const sequence of ['live_order_numbers', 'practice_order_numbers']) {
    await db.execute(sql`select setval(${sequence}::regclass,
      (select (last_value / 1000 + 1) * 1000 + ${NUMBERS_AHEAD} from ${sql.identifier(sequence)}), false)`)
  }
  // A password that was changed since would be the old one again, and signed-out browsers signed in.
  await db.execute(sql`delete from sessions`)
  await db.execute(sql`update password_links set used_at = now() where used_at is null`)
}

const readRestored = compiled()((db) => db.select().from(upkeep).where(eq(upkeep.name, 'restored')))

/** Since when something may be missing in a database that was put back; null where it was not, or all is compared. */
export async function restoredSince(db: Queryable): Promise<Date | null> {
  const [restored] = await readRestored(db, {})
  return restored ? new Date(restored.data.since ?? 0) : null
}

/** All is compared: orders are placed again. What was between the backup and then stays marked as not known. */
export async function endRestoring(db: Queryable): Promise<void> {
  const [restored] = await db.delete(upkeep).where(eq(upkeep.name, 'restored')).returning()
  if (!restored) return
  const { at, data } = restored
  await db
    .insert(upkeep)
    .values({ name: 'gap', at, data })
    .onConflictDoUpdate({ target: upkeep.name, set: { at, data } })
}

/** The time whose orders were lost with the last restore: money of it is known from the gateways, uses of codes are not. */
export async function lastGap(db: Queryable): Promise<{ from: Date; until: Date } | null> {
  const [gap] = await db.select().from(upkeep).where(eq(upkeep.name, 'gap'))
  return gap ? { from: new Date(gap.data.since ?? 0), until: gap.at } : null
}

/** @throws Problem 503 while a restored database was not compared with the gateways' books. */
export async function requireCompared(db: Queryable): Promise<void> {
  if ((await restoredSince(db)) === null) return
  throw new Problem(
    503,
    'restoring',
    'This school is being put back from a backup. Nothing was charged; try again in a few minutes.',
    [],
    { retryAfter: 30 },
  )
}
