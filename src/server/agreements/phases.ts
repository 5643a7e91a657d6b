import { asc, eq, sql } from 'drizzle-orm'
import { firstPhase, type StoredPhases } from '../../core/collecting/phase.ts'
import { readStoredQuote } from '../../core/quote/stored.ts'
import { type Database, transaction } from '../db/client.ts'
import { agreements, orderLines, orders } from '../db/schema/index.ts'

/** So many are filled in by one transaction. */
const AT_ONCE = 500

/**
 * Gives agreements of an earlier version, which read their orders' quotes at each charge, the phase that they charge by.
 * Called whenever the product starts; what has one is left alone.
 * @returns how many were given one.
 */
export async function fillPhases(db: Database): Promise<number> {
  for (let filled = 0; ; ) {
    const rows = await db
      .select({
        id: agreements.id,
        quoteInput: orders.quoteInput,
        quote: orders.quote,
        placedOn: orders.placedOn,
        position: orderLines.position,
      })
      .from(agreements)
      .innerJoin(orders, eq(orders.id, agreements.orderId))
      .innerJoin(orderLines, eq(orderLines.id, agreements.lineId))
      .where(sql`${agreements.phases} -> 'phases' = '[]'`)
      .orderBy(asc(agreements.id))
      .limit(AT_ONCE)
    if (rows.length === 0) return filled
    await transaction(db, async (tx) => {
      for (const { id, quoteInput, quote, placedOn, position } of rows) {
        const phase = firstPhase(readStoredQuote(quoteInput), position, placedOn ?? quote.purchaseDay)
        const phases: StoredPhases = { version: 1, phases: [phase] }
        await tx.update(agreements).set({ phases }).where(eq(agreements.id, id))
      }
    })
    filled += rows.length
  }
}
