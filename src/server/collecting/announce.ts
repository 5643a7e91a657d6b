import { and, eq, gt, isNull, lte, or, sql } from 'drizzle-orm'
import { addDays } from '../../core/calendar/day.ts'
import { type AgreementRow, holdAgreement } from '../agreements/agreements.ts'
import { MODES, type Mode } from '../db/schema/columns.ts'
import { agreements } from '../db/schema/index.ts'
import { inMode, inTransaction, type Services, type Within } from '../platform/context.ts'
import { findSchool, getSchool, schoolDay } from '../school/service.ts'
import { notifyOf } from './actions.ts'

/** So many days before a payment its buyer is told that the card for it will have ended by then. */
const DAYS_AHEAD = 14

/** Tells buyers in both modes of what comes: a card that ends before their next payment, and a renewal, each once. */
export async function announceAll(services: Services): Promise<void> {
  for (const mode of MODES) await announceIn(services, mode)
}

/** The same in one mode, by its clock. */
export async function announceIn(base: Services, mode: Mode): Promise<void> {
  const services = await inMode(base, mode)
  if (!(await findSchool(services.db))) return
  await announceExpiring(services, mode)
  await announceRenewals(services, mode)
}

async function announceExpiring(services: Services, mode: Mode): Promise<void> {
  const ahead = addDays(await schoolDay(services), DAYS_AHEAD)
  const ending = and(
    eq(agreements.mode, mode),
    eq(agreements.state, 'active'),
    lte(agreements.nextTry, ahead),
    sql`${agreements.expires} < ${agreements.nextTry}`,
    or(isNull(agreements.expiryNotified), sql`${agreements.expiryNotified} <> ${agreements.expires}`),
  )
  for (const { id } of await services.db.select({ id: agreements.id }).from(agreements).where(ending)) {
    await announce(services, id, 'card-expiring', ({ expiryNotified, expires }) =>
      expiryNotified === expires ? null : { expiryNotified: expires },
    )
  }
}

/** Tells of a subscription that renews, so many days before as the school has set. */
async function announceRenewals(services: Services, mode: Mode): Promise<void> {
  const { renewalNoticeDays } = await getSchool(services.db)
  if (renewalNoticeDays === 0) return
  const today = await schoolDay(services)
  const renewing = and(
    eq(agreements.mode, mode),
    eq(agreements.state, 'active'),
    eq(agreements.kind, 'subscription'),
    eq(agreements.tries, 0),
    gt(agreements.nextTry, today),
    lte(agreements.nextTry, addDays(today, renewalNoticeDays)),
    or(isNull(agreements.renewalNotified), sql`${agreements.renewalNotified} <> ${agreements.nextTry}`),
  )
  for (const { id } of await services.db.select({ id: agreements.id }).from(agreements).where(renewing)) {
    await announce(services, id, 'renewal-ahead', ({ renewalNotified, nextTry }) =>
      renewalNotified === nextTry ? null : { renewalNotified: nextTry },
    )
  }
}

/** Queues a message about an agreement that goes on, and notes what was told; null: another worker has told it meanwhile. */
async function announce(
  services: Services,
  id: string,
  kind: 'card-expiring' | 'renewal-ahead',
  toNote: (row: AgreementRow) => Partial<AgreementRow> | null,
): Promise<void> {
  await inTransaction(services, async (services: Within) => {
    const { order, row } = await holdAgreement(services.db, id)
    const note = row.state === 'active' ? toNote(row) : null
    if (!note) return
    await services.db.update(agreements).set(note).where(eq(agreements.id, id))
    await notifyOf(services, { order, agreementId: id, kind }, [])
  })
}
