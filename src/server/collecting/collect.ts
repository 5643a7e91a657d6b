import { and, asc, eq, exists, inArray, lte, not, sql } from 'drizzle-orm'
import { addDays, type Day } from '../../core/calendar/day.ts'
import { dayIn, parseInstant } from '../../core/calendar/instant.ts'
import { afterCollected, afterGivenBack, nextTryOf, taskOn } from '../../core/collecting/agreement.ts'
import type { Outcome } from '../../gateways/contract.ts'
import { holdAgreements, type LoadedAgreement, saveAgreement } from '../agreements/agreements.ts'
import { callGateway, declined } from '../charging/call.ts'
import { type Attempt, type ChargeRequest, startAttempts } from '../charging/start.ts'
import { MODES, type Mode } from '../db/schema/columns.ts'
import { agreements, attempts, connections, OPEN_ATTEMPTS, payments, school } from '../db/schema/index.ts'
import { advanceAll } from '../fulfilment/outcome.ts'
import { settleAttempts } from '../fulfilment/settle.ts'
import { openRow } from '../gateways/service.ts'
import { notFound } from '../http/problem.ts'
import { record } from '../journal/journal.ts'
import { inOneGo } from '../platform/batch.ts'
import { Batcher } from '../platform/batcher.ts'
import { isClockTrusted } from '../platform/clock.ts'
import { inMode, inTransaction, type Services, type Within, withClock } from '../platform/context.ts'
import { mapConcurrently } from '../platform/mapConcurrently.ts'
import { restoredSince } from '../platform/restored.ts'
import { findSchool, type School } from '../school/service.ts'

/** Payments are collected from this hour on, by the school's clock. */
const FROM_HOUR = 6
/** So many are queued at a time, every twenty seconds or so. */
const MAX_QUEUED = 1500

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
 * Does for an agreement all that is to be done today (collecting rules, section 2). Safe to call twice, at the same time
 * too: the order's row is locked while it is decided, and an attempt under way ends the turn.
 * @throws Problem 404 where there is none.
 */
export async function collectAgreement(services: Services, agreementId: string): Promise<void> {
  const failed = await collectAgreements(services, [agreementId])
  if (failed.has(agreementId)) throw failed.get(agreementId)
}

/**
 * The same for many: decided in one transaction, charged side by side, and settled a handful at a time as the answers
 * come, so that none waits for a slow one.
 * @returns what failed, by agreement.
 */
export async function collectAgreements(services: Services, ids: readonly string[]): Promise<Map<string, unknown>> {
  const failed = new Map<string, unknown>()
  if (ids.length === 0 || (await restoredSince(services.db))) return failed
  const batches = Array.from({ length: Math.ceil(ids.length / DECIDED_TOGETHER) }, (_, n) =>
    ids.slice(n * DECIDED_TOGETHER, (n + 1) * DECIDED_TOGETHER),
  )
  // While one batch waits for its gateway, the next is begun.
  await mapConcurrently(2, batches, async (batch) => {
    const found = await whereabouts(services, batch)
    for (const id of batch) if (!found.some((one) => one.id === id)) failed.set(id, notFound('agreement'))
    for (const mode of MODES) await collectOf(services, mode, found, failed)
  })
  return failed
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

type Whereabouts = Awaited<ReturnType<typeof whereabouts>>

/** Takes the turns of a mode's agreements until nothing of today is left to do for any. What failed is added to `failed`. */
async function collectOf(base: Services, mode: Mode, all: Whereabouts, failed: Map<string, unknown>): Promise<void> {
  const of = all.filter((one) => one.mode === mode)
  const [first] = of
  if (!first || (mode === 'live' && !(await isClockTrusted(base)))) return
  const services = withClock(base, mode, first.aheadMs)
  for (let left = of.map(({ id }) => id); left.length > 0; ) {
    const day = collectingDay(first, services.now())
    const tries: Try[] = []
    const settled: string[] = []
    const undecided = await inOneGo(
      'collecting',
      left,
      (id) => id,
      async (batch) => {
        const turns = await inTransaction(services, (within) => takeTurns(within, batch, day))
        tries.push(...turns.tries)
        settled.push(...turns.settled)
        return []
      },
    )
    for (const [id, error] of undecided) failed.set(id, error)
    left = [...settled, ...(await chargeAll(services, tries, first.name, day, failed))]
  }
}

/** So many agreements are decided together. */
const DECIDED_TOGETHER = 40
/** So many answers are settled together, or as many as came within so many milliseconds. */
const SETTLED_TOGETHER = 25
const SETTLED_WITHIN_MS = 20
/** So many calls are under way at a time: nothing is held while they are. */
const CALLED_AT_ONCE = 24

/**
 * Charges the attempts that were stored and settles each answer as it comes. What failed is added to `failed`.
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
    const unsettled = await settleAttempts(
      services,
      answered.map(({ turn, outcome }) => ({ attemptId: turn.attempt.id, outcome, source: 'answer' as const })),
    )
    for (const { turn, outcome } of answered) {
      const { id } = turn.held.row
      if (unsettled.has(turn.attempt.id)) failed.set(id, unsettled.get(turn.attempt.id))
      else if (outcome.state === 'collected' && isDueAgain(turn.held, day)) again.push(id)
    }
  }
  const answers = new Batcher(SETTLED_TOGETHER, SETTLED_WITHIN_MS, settle)
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

/** Once a payment came, the next may be due today already. Mostly it is not, and no lock is needed to see that. */
function isDueAgain({ agreement, retryAfterDays }: LoadedAgreement, day: Day): boolean {
  const next = nextTryOf(afterCollected(agreement, day), retryAfterDays)
  return next !== null && next <= day
}

/** What an agreement's next payment asks for. */
function askFor(
  row: LoadedAgreement['row'],
  order: LoadedAgreement['order'],
  { n, pay }: { n: number; pay: number },
  day: Day,
): ChargeRequest {
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

/** A payment that is tried, whose attempt is stored. */
interface Try {
  held: LoadedAgreement
  attempt: Attempt
  /** Its payment method; absent where it is gone. */
  connection: typeof connections.$inferSelect | undefined
}

/** Decides of each agreement what is next, and stores it before any money moves. */
async function takeTurns(
  services: Within,
  ids: readonly string[],
  day: Day,
): Promise<{ tries: Try[]; settled: string[] }> {
  const { db: tx } = services
  const held = await holdAgreements(tx, ids)
  const trying: { held: LoadedAgreement; asked: ChargeRequest }[] = []
  const settled: string[] = []
  for (const one of held) {
    const turn = one.isUnderWay ? null : await takeTurn(services, one, day)
    if (turn === 'settled') settled.push(one.row.id)
    else if (turn) trying.push({ held: one, asked: turn })
  }
  const connectionIds = [...new Set(trying.map(({ held: { row } }) => row.connectionId))]
  const [started, methods] = await Promise.all([
    startAttempts(
      services,
      trying.map(({ held: { order }, asked }) => ({ about: { orderId: order.id, personId: order.personId }, asked })),
    ),
    tx.select().from(connections).where(inArray(connections.id, connectionIds)),
  ])
  const tries = trying.map(
    ({ held: of }, index): Try => ({
      held: of,
      attempt: started[index] as Attempt,
      connection: methods.find(({ id }) => id === of.row.connectionId),
    }),
  )
  return { tries, settled }
}

/** @returns what is tried; null where nothing is to be done; "settled" where a payment of nothing was, and more may be due. */
async function takeTurn(services: Within, held: LoadedAgreement, day: Day): Promise<ChargeRequest | 'settled' | null> {
  const { db: tx } = services
  const { row, order, agreement, retryAfterDays } = held
  const task = taskOn(agreement, retryAfterDays, day)
  if (!task) {
    // The day of the next try may be stored by an older policy.
    if (nextTryOf(agreement, retryAfterDays) !== row.nextTry) await saveAgreement(tx, held, agreement)
    return null
  }
  const { n } = task.payment
  const about = { orderId: order.id, personId: order.personId }
  const ended = held.opened.length === 0 ? afterGivenBack(agreement, day) : null
  if (ended) {
    // Nothing is charged for a course that the creator has shut, whatever way that came about.
    await saveAgreement(tx, held, ended)
    await record(tx, services.now(), about, 'agreement-cancelled', { when: 'now', by: 'creator' })
    return null
  }
  if (task.do === 'try') return askFor(row, order, task.payment, day)
  const { id } = held.scheduled[agreement.collected] as (typeof held.scheduled)[number]
  await tx.update(payments).set({ state: 'collected', collectedAt: services.now() }).where(eq(payments.id, id))
  await advanceAll(services, [
    { held, count: 1, day, events: [{ about, what: 'payment-settled', data: { n } }], attemptId: null },
  ])
  return 'settled'
}

/** Charges the saved method; null where no answer came, which is looked up later. */
async function chargeSavedMethod(services: Services, turn: Try, schoolName: string): Promise<Outcome | null> {
  const { held, attempt, connection } = turn
  const { row, line } = held
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
