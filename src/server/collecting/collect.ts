import { and, asc, eq, exists, inArray, lte, not, sql } from 'drizzle-orm'
import { addDays, type Day } from '../../core/calendar/day.ts'
import { dayIn, parseInstant } from '../../core/calendar/instant.ts'
import { afterCollected, afterGivenBack, nextTryOf, taskOn } from '../../core/collecting/agreement.ts'
import type { Outcome } from '../../gateways/contract.ts'
import { type Held, holdAgreement, holdAgreements, saveAgreement } from '../agreements/agreements.ts'
import { callGateway, declined } from '../charging/call.ts'
import { type Asked, type Attempt, startAttempt, startAttempts } from '../charging/start.ts'
import { MODES, type Mode } from '../db/schema/columns.ts'
import { agreements, attempts, connections, OPEN_ATTEMPTS, payments, school } from '../db/schema/index.ts'
import { advanceAll } from '../fulfilment/outcome.ts'
import { settleAlone, settleAttempt, settleCollected } from '../fulfilment/settle.ts'
import { openRow } from '../gateways/service.ts'
import { notFound } from '../http/problem.ts'
import { record } from '../journal/journal.ts'
import { isClockTrusted } from '../platform/clock.ts'
import { inMode, inTransaction, type Services, type Within, withClock } from '../platform/context.ts'
import { Gathered } from '../platform/gathered.ts'
import { mapConcurrently } from '../platform/mapConcurrently.ts'
import { restoredSince } from '../platform/restored.ts'
import { findSchool, type School } from '../school/service.ts'

/** Payments are collected from this hour on, by the school's clock. */
const FROM_HOUR = 6
/** So many are queued at a time, every twenty seconds or so. */
const MAX_QUEUED = 1500
/** So many agreements that are not plain one process collects at a time: mostly it waits for the gateway. */
const COLLECTED_AT_ONCE = 8

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
  if (mode === 'live' && !(await isClockTrusted(services))) return []
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
    .limit(MAX_QUEUED)
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
  const [found] = await whereabouts(base, [agreementId])
  if (!found) throw notFound('agreement')
  if (await restoredSince(base.db)) return
  if (found.mode === 'live' && !(await isClockTrusted(base))) return
  const services = withClock(base, found.mode, found.aheadMs)
  for (;;) {
    const day = collectingDay(found, services.now())
    const turn = await inTransaction(services, (services) => takeTurn(services, agreementId, day))
    if (turn.kind === 'nothing') return
    if (turn.kind === 'settled') continue
    const outcome = await chargeSavedMethod(services, turn, found.name)
    if (!outcome) return
    await settleAttempt(services, turn.attempt.id, outcome, 'answer')
    if (outcome.state !== 'collected' || !isDueAgain(turn.held, day)) return
  }
}

/** Of agreements: their modes with how far practice time runs ahead, and the school. */
function whereabouts({ db }: Services, ids: readonly string[]) {
  return db
    .select({
      id: agreements.id,
      mode: agreements.mode,
      aheadMs: school.practiceAheadMs,
      name: school.name,
      timeZone: school.timeZone,
    })
    .from(agreements)
    .innerJoin(school, sql`true`)
    .where(sql`${agreements.id} = any(${sql.param([...ids])}::uuid[])`)
}

/** Once a payment came, the next may be due today already. Mostly it is not, and no lock is needed to see that. */
function isDueAgain({ agreement, retryAfterDays }: Held, day: Day): boolean {
  const next = nextTryOf(afterCollected(agreement, day), retryAfterDays)
  return next !== null && next <= day
}

/**
 * The same for many: all that are plain are begun in one transaction, charged side by side, and settled a handful at a
 * time as their answers come, so that none waits for a slow one. What is not plain, and all of a batch that fails, is
 * done one at a time.
 * @returns what failed, by agreement.
 */
export async function collectAgreements(base: Services, ids: readonly string[]): Promise<Map<string, unknown>> {
  const failed = new Map<string, unknown>()
  if (ids.length === 0 || (await restoredSince(base.db))) return failed
  const batches = Array.from({ length: Math.ceil(ids.length / CLAIMED_TOGETHER) }, (_, n) =>
    ids.slice(n * CLAIMED_TOGETHER, (n + 1) * CLAIMED_TOGETHER),
  )
  // While one batch waits for its gateway, the next is begun.
  await mapConcurrently(2, batches, (batch) => collectBatch(base, batch, failed))
  return failed
}

async function collectBatch(base: Services, ids: readonly string[], failed: Map<string, unknown>): Promise<void> {
  const found = await whereabouts(base, ids)
  const alone = ids.filter((id) => !found.some((one) => one.id === id))
  for (const mode of MODES) {
    const of = found.filter((one) => one.mode === mode)
    const [first] = of
    if (!first || (mode === 'live' && !(await isClockTrusted(base)))) continue
    const services = withClock(base, mode, first.aheadMs)
    const day = collectingDay(first, services.now())
    const those = of.map(({ id }) => id)
    const begun = await inTransaction(services, (services) => beginPlain(services, those, day)).catch(() => null)
    if (begun === null) {
      alone.push(...those)
      continue
    }
    alone.push(...begun.others)
    alone.push(...(await chargeAll(services, begun.tries, first.name, day, failed)))
  }
  await mapConcurrently(COLLECTED_AT_ONCE, alone, async (id) => {
    try {
      await collectAgreement(base, id)
    } catch (error) {
      failed.set(id, error)
    }
  })
}

/** Begins what is plain: an agreement with a method that is there, whose next payment is to be charged. */
async function beginPlain(
  services: Within,
  ids: readonly string[],
  day: Day,
): Promise<{ tries: Try[]; others: string[] }> {
  const { db: tx } = services
  const held = await holdAgreements(tx, ids)
  const connectionIds = [...new Set(held.map(({ row }) => row.connectionId))]
  const opened = await tx.select().from(connections).where(inArray(connections.id, connectionIds))
  const others: string[] = []
  const plain = held.flatMap((one) => {
    const { row, order, agreement, retryAfterDays } = one
    if (one.isUnderWay) return []
    const task = taskOn(agreement, retryAfterDays, day)
    const connection = opened.find(({ id }) => id === row.connectionId)
    if (task?.do !== 'try' || one.isTakenBack || !row.savedMethod || !connection || connection.disconnectedAt) {
      others.push(row.id)
      return []
    }
    return [{ held: one, connection, asked: askFor(row, order, task.payment, day) }]
  })
  const started = await startAttempts(
    services,
    plain.map(({ held: { order }, asked }) => ({ about: { orderId: order.id, personId: order.personId }, asked })),
  )
  const tries = plain.map(
    ({ held: of, connection }, index): Try => ({
      kind: 'try',
      held: of,
      connection,
      attempt: started[index] as Attempt,
    }),
  )
  return { tries, others }
}

/** So many agreements are begun together. */
const CLAIMED_TOGETHER = 40
/** So many answers are settled together, or as many as came within so many milliseconds. */
const SETTLED_TOGETHER = 25
const SETTLED_WITHIN_MS = 20
/** So many calls are under way at a time: nothing is held while they are. */
const CALLED_AT_ONCE = 24

/**
 * Charges what was begun and settles the answers as they come.
 * @returns agreements for which something is due today still.
 */
async function chargeAll(
  services: Services,
  tries: readonly Try[],
  schoolName: string,
  day: Day,
  failed: Map<string, unknown>,
): Promise<string[]> {
  const again: string[] = []
  const settle = async (answered: readonly { turn: Try; outcome: Outcome }[]) => {
    const told = answered.map(({ turn, outcome }) => ({
      attemptId: turn.attempt.id,
      outcome,
      source: 'answer' as const,
    }))
    // A batch that fails is settled one at a time: it is known then which of them it is.
    const left = await settleCollected(services, told).catch(() => told)
    for (const { turn, outcome } of answered) {
      const { id } = turn.held.row
      try {
        const isLeft = left.some(({ attemptId }) => attemptId === turn.attempt.id)
        if (isLeft) await settleAlone(services, turn.attempt.id, outcome, 'answer')
        if (outcome.state === 'collected' && isDueAgain(turn.held, day)) again.push(id)
      } catch (error) {
        failed.set(id, error)
      }
    }
  }
  const answers = new Gathered(SETTLED_TOGETHER, SETTLED_WITHIN_MS, settle)
  await mapConcurrently(CALLED_AT_ONCE, tries, async (turn) => {
    try {
      const outcome = await chargeSavedMethod(services, turn, schoolName)
      if (outcome) answers.add({ turn, outcome })
    } catch (error) {
      failed.set(turn.held.row.id, error)
    }
  })
  await answers.end()
  return again
}

/** What an agreement's next payment asks for. */
function askFor(row: Held['row'], order: Held['order'], { n, pay }: { n: number; pay: number }, day: Day): Asked {
  return {
    orderId: order.id,
    agreementId: row.id,
    fromN: n,
    toN: n,
    connectionId: row.connectionId,
    amount: pay,
    currency: order.currency,
    day,
    madeBy: 'worker',
  }
}

interface Try {
  kind: 'try'
  held: Held
  attempt: Attempt
  /** Read already, where many are. */
  connection?: typeof connections.$inferSelect
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
  const { n } = task.payment
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
    await advanceAll(services, [
      { held, count: 1, day, events: [{ about, what: 'payment-settled', data: { n } }], isTold: false },
    ])
    return { kind: 'settled' }
  }
  const attempt = await startAttempt(services, { about, asked: askFor(row, order, task.payment, day) })
  return { kind: 'try', held, attempt }
}

/** Charges the saved method; null where no answer came, which is looked up later. */
async function chargeSavedMethod(services: Services, turn: Try, schoolName: string): Promise<Outcome | null> {
  const { held, attempt } = turn
  const { row, line } = held
  const ofRow = eq(connections.id, row.connectionId)
  const connection = turn.connection ?? (await services.db.select().from(connections).where(ofRow))[0]
  if (!row.savedMethod || !connection || connection.disconnectedAt) return declined('no-method', row.method)
  const outcome = await callGateway(services, {
    open: () => openRow(services, connection),
    attempt,
    source: { savedMethod: row.savedMethod },
    schoolName,
    titles: [line.title],
    isUnattended: true,
  })
  // What was declined without the gateway's naming it is the method that was kept.
  if (outcome?.state !== 'declined') return outcome
  return { ...outcome, method: outcome.method ?? row.method }
}
