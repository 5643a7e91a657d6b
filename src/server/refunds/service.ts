import { and, eq, inArray } from 'drizzle-orm'
import * as v from 'valibot'
import { refundableAmounts, shareRefund } from '../../core/collecting/refund.ts'
import { formatMoney } from '../../core/money/format.ts'
import { derivedKey } from '../charging/attemptKey.ts'
import type { Queryable, Transaction } from '../db/client.ts'
import type { Mode } from '../db/schema/columns.ts'
import { lineCourses, orderLines, orders, refunds } from '../db/schema/index.ts'
import { amountSchema } from '../http/numbers.ts'
import { fieldProblem, notFound, Problem } from '../http/problem.ts'
import { record } from '../journal/journal.ts'
import type { Services, Within } from '../platform/context.ts'
import { onceInTransaction } from '../platform/keyedRequest.ts'
import { getSchool, schoolDay } from '../school/service.ts'
import { type ChargingAgain, chargeAgain, startChargingAgain } from './chargeAgain.ts'
import { chargesOf, type RefundableCharge } from './charges.ts'
import { AGAIN_SECONDS, bookIn, settleRefund } from './settle.ts'

export const refundSchema = v.object({
  lineId: v.pipe(v.string(), v.uuid('There is no such line.')),
  amount: amountSchema(1, 'Write an amount.', 'Write how much to refund.'),
  /** Some of the courses of a bundle, for which it is; absent or null: all of the line. */
  courseIds: v.optional(v.nullable(v.pipe(v.array(v.pipe(v.string(), v.uuid())), v.minLength(1, 'Choose a course.')))),
  access: v.picklist(['keep', 'close'], 'Choose what happens to access.'),
  /** What is still to be paid is lowered by the shares of these courses. */
  lowersLater: v.optional(v.boolean(), false),
  note: v.pipe(
    v.string(),
    v.trim(),
    v.nonEmpty('Say why. It is kept in the history.'),
    v.maxLength(300, 'Use at most 300 characters.'),
  ),
})

/** How a refund stands once it was asked for. */
export interface Refunded {
  refunded: number
  /** Asked for, and not answered yet. */
  waiting: number
  /** Why something was refused. */
  refused: string | null
}

/**
 * Gives money of a line back, the newest payment first, and closes what it opened where that is wished. Stored with
 * keys before a gateway is asked; what is not answered is asked for again by its key, which gives back once.
 * @throws Problem at `/amount` where it cannot be given back so.
 */
export async function refundLine(
  services: Services,
  mode: Mode,
  orderId: string,
  { lineId, amount, courseIds = null, access, lowersLater = false, note }: v.InferInput<typeof refundSchema>,
): Promise<Refunded> {
  const at = services.now()
  const day = await schoolDay(services)
  const ids = await onceInTransaction(services, async (services) => {
    const { db: tx } = services
    const order = await holdOrder(tx, mode, orderId)
    const [line] = await tx
      .select()
      .from(orderLines)
      .where(and(eq(orderLines.id, lineId), eq(orderLines.orderId, orderId)))
    if (!line) throw notFound('order line')
    if (courseIds) await requireOfLine(tx, lineId, courseIds)
    // Who keeps a course goes on paying for it.
    if (lowersLater && (courseIds === null || access === 'keep')) throw fieldProblem('/lowersLater', LOWERS_WHEN)
    const charges = (await chargesOf(services, tx, orderId)).filter((charge) => charge.lineId === lineId)
    const shares = shareRefund(charges, amount)
    const format = { ...(await getSchool(tx)), currency: order.currency }
    if (!shares)
      throw fieldProblem(
        '/amount',
        formatCannot(charges, (of) => formatMoney(of, format)),
      )
    const rows = await storeRefunds(
      tx,
      order.id,
      shares.map((share) => ({ lineId, ...share })),
      { note, access, courseIds, lowersLater, day, at },
    )
    const about = { orderId, personId: order.personId }
    await record(tx, at, about, 'refund-started', { amount, currency: order.currency, note, access })
    await askLater(services, rows)
    return rows
  })
  return settleAll(services, ids)
}

/** @throws Problem at `/courseIds` where a course is not of the line. */
async function requireOfLine(tx: Transaction, lineId: string, courseIds: readonly string[]): Promise<void> {
  const held = await tx
    .select({ id: lineCourses.courseId })
    .from(lineCourses)
    .where(and(eq(lineCourses.lineId, lineId), inArray(lineCourses.courseId, [...courseIds])))
  if (held.length !== new Set(courseIds).size) throw fieldProblem('/courseIds', 'Choose courses of this order.')
}

/** The schema of giving a whole payment back, of whatever lines it was. */
export const refundWholeSchema = v.object({
  attemptId: v.pipe(v.string(), v.uuid('There is no such payment.')),
  /** Lines that are not refunded, but charged again by the method that is saved. */
  keep: v.optional(v.array(v.pipe(v.string(), v.uuid('There is no such line.'))), []),
  access: refundSchema.entries.access,
  note: refundSchema.entries.note,
})

/**
 * Gives a payment back as a whole, of all lines that it was for: in one call, as a gateway asks for that gives back
 * whole payments only. Lines that are kept are charged again first; a decline leaves everything as it was.
 * @throws Problem 404, 409 where some of it was given back already, or is disputed, 422 at `/keep`.
 */
export async function refundWhole(
  services: Services,
  mode: Mode,
  orderId: string,
  { attemptId, keep = [], access, note }: v.InferInput<typeof refundWholeSchema>,
): Promise<Refunded> {
  const at = services.now()
  const day = await schoolDay(services)
  let charging: ChargingAgain | null = null
  const ids = await onceInTransaction(services, async (services) => {
    const { db: tx } = services
    const order = await holdOrder(tx, mode, orderId)
    const charges = (await chargesOf(services, tx, orderId)).filter(({ id }) => id === attemptId)
    if (charges.length === 0) throw notFound('payment')
    if (charges.some(({ isDisputed, given }) => isDisputed || given > 0)) {
      throw new Problem(409, 'not-whole', 'Some of this payment was refunded already, or it is disputed.')
    }
    // Where the gateway refused to refund it, after the rest had been charged again, that counts for this refund.
    const before = charges.find(({ againBy }) => againBy !== null)?.againBy ?? null
    const recharged = before === null ? charges.filter(({ lineId }) => keep.includes(lineId)) : []
    if (before === null && recharged.length !== new Set(keep).size)
      throw fieldProblem('/keep', 'Choose items of this payment.')
    const given = charges.filter((charge) => charge.againBy === null && !recharged.includes(charge))
    if (given.length === 0) throw fieldProblem('/keep', 'Choose at least one item to refund.')
    charging = recharged.length > 0 ? await startChargingAgain(services, order, attemptId, recharged) : null
    const shares = given.map(({ id: chargeId, lineId, amount }) => ({ chargeId, lineId, amount }))
    const awaitsId = charging?.attempt.id ?? before
    const rows = await storeRefunds(tx, orderId, shares, { note, access, day, at, awaitsId })
    const amount = given.reduce((sum, charge) => sum + charge.amount, 0)
    const about = { orderId, personId: order.personId }
    await record(tx, at, about, 'refund-started', { amount, currency: order.currency, note, access })
    await askLater(services, rows)
    return rows
  })
  // Done before, and not answered: what was charged again is looked up, and the refunds wait for it.
  if (charging) await chargeAgain(services, charging)
  return settleAll(services, ids)
}

/** The schema of noting money that was given back by other means. */
export const refundOutsideSchema = v.object({
  lineId: refundSchema.entries.lineId,
  amount: refundSchema.entries.amount,
  /** What names it there: a transfer, a cheque. */
  reference: v.pipe(
    v.string(),
    v.trim(),
    v.nonEmpty('Write its reference.'),
    v.maxLength(100, 'Use at most 100 characters.'),
  ),
  access: refundSchema.entries.access,
  note: refundSchema.entries.note,
})

/**
 * Notes money of a line that was given back by other means than the payment method by which it came, as where that gives back whole
 * payments only and it was one for two things. @throws Problem at `/amount` where less is left.
 */
export async function refundOutside(
  services: Services,
  mode: Mode,
  orderId: string,
  { lineId, amount, reference, access, note }: v.InferOutput<typeof refundOutsideSchema>,
): Promise<void> {
  const at = services.now()
  const day = await schoolDay(services)
  await onceInTransaction(services, async (services) => {
    const { db: tx } = services
    const order = await holdOrder(tx, mode, orderId)
    const charges = (await chargesOf(services, tx, orderId))
      .filter((charge) => charge.lineId === lineId && !charge.isDisputed && charge.againBy === null)
      .map(({ id, amount: whole, given }) => ({ id, left: whole - given, gives: 'part' as const }))
    const shares = shareRefund(charges, amount)
    if (!shares || charges.length === 0) {
      const left = charges.reduce((sum, charge) => sum + charge.left, 0)
      const format = { ...(await getSchool(tx)), currency: order.currency }
      throw fieldProblem('/amount', left > 0 ? `At most ${formatMoney(left, format)} can be refunded.` : NOTHING_LEFT)
    }
    const rows = await storeRefunds(
      tx,
      orderId,
      shares.map((share) => ({ lineId, ...share })),
      { note, access, day, at },
    )
    await tx.update(refunds).set({ isOutside: true }).where(inArray(refunds.id, rows))
    for (const key of await keysOf(tx, rows)) await bookIn(services, key, { state: 'refunded', reference })
  })
}

async function holdOrder(tx: Transaction, mode: Mode, orderId: string) {
  const [order] = await tx
    .select()
    .from(orders)
    .where(and(eq(orders.id, orderId), eq(orders.mode, mode)))
    .for('no key update')
  if (!order) throw notFound('order')
  return order
}

interface HowRefunded {
  note: string
  access: 'keep' | 'close'
  courseIds?: string[] | null
  lowersLater?: boolean
  /** The attempt that must be collected before. */
  awaitsId?: string | null
  day: string
  at: Date
}

/**
 * Stores refunds before anybody is asked for them, one key for each attempt. It is derived, as an attempt's key is:
 * after a backup was put back the same refund is asked for by the same key.
 */
async function storeRefunds(
  tx: Transaction,
  orderId: string,
  shares: readonly { lineId: string; chargeId: string; amount: number }[],
  { at, ...how }: HowRefunded,
): Promise<string[]> {
  const before = await tx.$count(refunds, eq(refunds.orderId, orderId))
  const charges = [...new Set(shares.map(({ chargeId }) => chargeId))]
  const keys = new Map(
    charges.map((chargeId, index) => {
      const sum = shares.reduce((all, share) => all + (share.chargeId === chargeId ? share.amount : 0), 0)
      return [chargeId, derivedKey('refund', chargeId, String(before + index), String(sum))]
    }),
  )
  const rows = await tx
    .insert(refunds)
    .values(
      shares.map(({ lineId, chargeId, amount }) => ({
        orderId,
        lineId,
        attemptId: chargeId,
        key: keys.get(chargeId) as string,
        amount,
        state: 'started' as const,
        createdAt: at,
        ...how,
      })),
    )
    .returning({ id: refunds.id })
  return rows.map(({ id }) => id)
}

async function askLater({ db: tx, jobs }: Within, ids: readonly string[]) {
  for (const refundId of ids) await jobs.send(tx, 'refund-settle', { refundId }, { afterSeconds: AGAIN_SECONDS })
}

async function settleAll(services: Services, ids: string[]): Promise<Refunded> {
  for (const id of ids) await settleRefund(services, id)
  return refundedOf(services.db, ids)
}

async function keysOf(db: Queryable, ids: string[]): Promise<string[]> {
  const rows = await db.selectDistinct({ key: refunds.key }).from(refunds).where(inArray(refunds.id, ids))
  return rows.map(({ key }) => key)
}

const LOWERS_WHEN = 'Later payments are lowered only where access to some courses of a bundle ends.'
const NOTHING_LEFT = 'Nothing is left to refund.'

function formatCannot(charges: readonly RefundableCharge[], money: (amount: number) => string): string {
  const left = charges.reduce((sum, charge) => sum + charge.left, 0)
  const whole = charges.find((charge) => charge.together !== null && charge.gives === 'whole' && charge.given === 0)
  if (left === 0 && whole) {
    return `${whole.gateway} refunds whole payments only, and this one of ${money(whole.together ?? 0)} was for more than this item. Refund all of it, or record a refund that you make by other means.`
  }
  if (left === 0) return NOTHING_LEFT
  const amounts = refundableAmounts(charges)
  if (!amounts) return `At most ${money(left)} can be refunded.`
  const [gateway] = charges.map((charge) => charge.gateway)
  return `${gateway} refunds whole payments only: ${amounts.map(money).join(', ')}.`
}

async function refundedOf(db: Queryable, ids: string[]): Promise<Refunded> {
  const rows = await db.select().from(refunds).where(inArray(refunds.id, ids))
  const sum = (state: (typeof rows)[number]['state']) =>
    rows.filter((row) => row.state === state).reduce((all, { amount }) => all + amount, 0)
  return {
    refunded: sum('refunded'),
    waiting: sum('started'),
    refused: rows.find(({ state }) => state === 'refused')?.why ?? null,
  }
}
