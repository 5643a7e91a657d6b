import { and, eq, isNull, lte, or, sql } from 'drizzle-orm'
import { addDays } from '../../core/calendar/day.ts'
import { inMode, inTransaction, type Services } from '../context.ts'
import { MODES, type Mode } from '../db/schema/columns.ts'
import { agreements } from '../db/schema/index.ts'
import { queueMessage } from '../messages/queue.ts'
import { recordAll } from '../orders/journal.ts'
import { findSchool, schoolDay } from '../school/service.ts'
import { holdAgreement } from './agreements.ts'

/** So many days before a payment its buyer is told that the card for it will have ended by then. */
const DAYS_AHEAD = 14

/** Tells buyers in both modes of a card that ends before their next payment, once a card. */
export async function announceExpiring(services: Services): Promise<number> {
  let told = 0
  for (const mode of MODES) told += await announceIn(services, mode)
  return told
}

/** The same in one mode, by its clock. */
export async function announceIn(base: Services, mode: Mode): Promise<number> {
  const services = await inMode(base, mode)
  if (!(await findSchool(services.db))) return 0
  const ahead = addDays(await schoolDay(services), DAYS_AHEAD)
  const ending = and(
    eq(agreements.mode, mode),
    eq(agreements.state, 'active'),
    lte(agreements.nextTry, ahead),
    sql`${agreements.expires} < ${agreements.nextTry}`,
    or(isNull(agreements.expiryTold), sql`${agreements.expiryTold} <> ${agreements.expires}`),
  )
  const rows = await services.db.select({ id: agreements.id }).from(agreements).where(ending)
  for (const { id } of rows) {
    await inTransaction(services, async (services) => {
      const { db: tx } = services
      const { order, row } = await holdAgreement(tx, id)
      // Another worker may have told them meanwhile.
      if (row.expiryTold === row.expires || row.state !== 'active') return
      await tx.update(agreements).set({ expiryTold: row.expires }).where(eq(agreements.id, id))
      const { mode: of, personId, id: orderId } = order
      const message = { mode: of, kind: 'card-expiring' as const, personId, orderId, agreementId: id }
      const { queued, writes } = queueMessage(services, message)
      await Promise.all(writes)
      await recordAll(tx, services.now(), [queued])
    })
  }
  return rows.length
}
