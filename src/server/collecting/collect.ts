import { and, asc, eq, exists, inArray, lte, not, sql } from 'drizzle-orm'
import { addDays, type Day } from '../../core/calendar/day.ts'
import { dayIn, parseInstant } from '../../core/calendar/instant.ts'
import { afterCollected, afterGivenBack, nextTryOf, taskOn } from '../../core/collecting/agreement.ts'
import type { Outcome } from '../../gateways/contract.ts'
import { type Held, holdAgreement, saveAgreement } from '../agreements/agreements.ts'
import { callGateway, declined } from '../charging/call.ts'
import { type Attempt, startAttempt } from '../charging/start.ts'
import { MODES, type Mode } from '../db/schema/columns.ts'
import { agreements, attempts, connections, OPEN_ATTEMPTS, payments, school } from '../db/schema/index.ts'
import { goOn } from '../fulfilment/outcome.ts'
import { settleAttempt } from '../fulfilment/settle.ts'
import { openRow } from '../gateways/service.ts'
import { notFound } from '../http/problem.ts'
import { record } from '../journal/journal.ts'
import { inMode, inTransaction, type Services, type Within, withClock } from '../platform/context.ts'
import { restoredSince } from '../platform/restored.ts'
import { findSchool, type School } from '../school/service.ts'

/** Payments are collected from this hour on, by the school's clock. */
const FROM_HOUR = 6
/** So many are queued at a time, every twenty seconds or so. */
const MOST_QUEUED = 1500
/** So many agreements one process collects at a time: mostly it waits for the gateway. */
export const COLLECTED_AT_ONCE = 8

/**
 * The day whose payments may be collected now: today from six in the morning on, by the school's clock,
 * yesterday before that.
 */
export function collectingDay({ timeZone }: Pick<School, 'timeZone'>, at: Date): Day {
  const instant = parseInstant(at.toISOString())
  if (!instant) throw new RangeError('The clock stands outside the years 2000 to 2999.')
  const day = dayIn(timeZone, instant)
  return hourIn(timeZone, at) >= FROM_HOUR ? day : addDays(day, -1)
}

/** Making a formatter costs as much as a statement of SQL, so each zone keeps its own. */
const hours = new Map<string, Intl.DateTimeFormat>()

function hourIn(timeZone: string, at: Date): number {
  const format =
    hours.get(timeZone) ?? new Intl.DateTimeFormat('en-GB', { timeZone, hour: '2-digit', hourCycle: 'h23' })
  hours.set(timeZone, format)
  return Number(format.format(at))
}

/** Agreements of a mode for which something is to be done now, the oldest first, as many as fit into one go. */
export async function agreementsDue(services: Services, mode: Mode): Promise<string[]> {
  const { db, now } = await inMode(services, mode)
  const school = await findSchool(db)
  if (!school || (await restoredSince(db))) return []
  const day = collectingDay(school, now())
  const underWay = db
    .select({ id: attempts.id })
    .from(attempts)
    .where(and(eq(attempts.agreementId, agreements.id), inArray(attempts.state, [...OPEN_ATTEMPTS])))
  const rows = await db
    .select({ id: agreements.id })
    .from(agreements)
    .where(and(eq(agreements.mode, mode), lte(agreements.nextTry, day), not(exists(underWay))))
    .orderBy(asc(agreements.nextTry))
    .limit(MOST_QUEUED)
  return rows.map(({ id }) => id)
}

/** Queues every agreement for which something is to be done now, in both modes. */
export async function queueDue(services: Services): Promise<number> {
  let queued = 0
  for (const mode of MODES) {
    for (const agreementId of await agreementsDue(services, mode)) {
      await services.jobs.send(services.db, 'agreement-collect', { agreementId }, { once: agreementId })
      queued++
    }
  }
  return queued
}

/**
 * Does for an agreement all that is to be done today (collecting rules, section 2). Safe to call twice, at the
 * same time too: the order's row is locked while it is decided, and an attempt under way ends the turn.
 */
export async function collectAgreement(base: Services, agreementId: string): Promise<void> {
  const [found] = await base.db
    .select({ mode: agreements.mode, aheadMs: school.practiceAheadMs, name: school.name, timeZone: school.timeZone })
    .from(agreements)
    .innerJoin(school, sql`true`)
    .where(eq(agreements.id, agreementId))
  if (!found) throw notFound('agreement')
  if (await restoredSince(base.db)) return
  const services = withClock(base, found.mode, found.aheadMs)
  for (;;) {
    const day = collectingDay(found, services.now())
    const turn = await inTransaction(services, (services) => takeTurn(services, agreementId, day))
    if (turn.kind === 'nothing') return
    if (turn.kind === 'settled') continue
    const outcome = await chargeKept(services, turn, found.name)
    if (!outcome) return
    await settleAttempt(services, turn.attempt.id, outcome, 'answer')
    // Once it came, the next may be due today already. Mostly it is not, and no lock is needed to see that.
    const { agreement, retryAfterDays } = turn.held
    if (outcome.state !== 'collected') return
    const next = nextTryOf(afterCollected(agreement, day), retryAfterDays)
    if (next === null || next > day) return
  }
}

interface Try {
  kind: 'try'
  held: Held
  attempt: Attempt
}
type Turn = { kind: 'nothing' } | { kind: 'settled' } | Try

/** Decides what is next, and stores it before any money moves. */
async function takeTurn(services: Within, agreementId: string, day: Day): Promise<Turn> {
  const { db: tx } = services
  const held = await holdAgreement(tx, agreementId)
  const { row, order, agreement, retryAfterDays } = held
  if (held.isUnderWay) return { kind: 'nothing' }
  const task = taskOn(agreement, retryAfterDays, day)
  if (!task) {
    // The day of the next try may be stored by an older policy.
    if (nextTryOf(agreement, retryAfterDays) !== row.nextTry) await saveAgreement(tx, held, agreement)
    return { kind: 'nothing' }
  }
  const { n, pay } = task.payment
  const about = { orderId: order.id, personId: order.personId }
  const ended = held.isTakenBack ? afterGivenBack(agreement, day) : null
  if (ended) {
    // Nothing is charged for a course that the creator has shut, whatever way that came about.
    await saveAgreement(tx, held, ended)
    await record(tx, services.now(), about, 'agreement-cancelled', { when: 'now', by: 'creator' })
    return { kind: 'nothing' }
  }
  if (task.do === 'settle') {
    const { id } = held.scheduled[agreement.collected] as (typeof held.scheduled)[number]
    await tx.update(payments).set({ state: 'collected', collectedAt: services.now() }).where(eq(payments.id, id))
    await goOn(services, held, 1, day, [{ about, what: 'payment-settled', data: { n } }], false)
    return { kind: 'settled' }
  }
  const attempt = await startAttempt(services, about, {
    orderId: order.id,
    agreementId,
    fromN: n,
    toN: n,
    connectionId: row.connectionId,
    amount: pay,
    currency: order.currency,
    day,
    madeBy: 'worker',
  })
  return { kind: 'try', held, attempt }
}

/** Charges the method that was kept; null where no answer came, which is looked up later. */
async function chargeKept(services: Services, { held, attempt }: Try, schoolName: string): Promise<Outcome | null> {
  const { row, line } = held
  const [connection] = await services.db.select().from(connections).where(eq(connections.id, row.connectionId))
  if (!row.kept || !connection || connection.disconnectedAt) return declined('no-method', row.method)
  const outcome = await callGateway(services, {
    open: () => openRow(services, connection),
    attempt,
    source: { kept: row.kept },
    schoolName,
    titles: [line.title],
    isUnattended: true,
  })
  // What was declined without the gateway's naming it is the method that was kept.
  if (outcome?.state !== 'declined') return outcome
  return { ...outcome, method: outcome.method ?? row.method }
}
