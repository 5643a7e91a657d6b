import { and, desc, eq, isNotNull, isNull } from 'drizzle-orm'
import { formatWhyNot, whyNot } from '../../core/paymentMethods/collects.ts'
import { callGateway } from '../charging/call.ts'
import type { SavedMethod } from '../charging/paymentMethods.ts'
import { type Attempt, startAttempt } from '../charging/start.ts'
import type { Queryable } from '../db/client.ts'
import { agreements, attempts, chargedAgain, connections, orderLines, type orders } from '../db/schema/index.ts'
import { settleAttempt } from '../fulfilment/settle.ts'
import { capabilitiesOf, openConnection } from '../gateways/service.ts'
import { fieldProblem } from '../http/problem.ts'
import type { Services, Tools, Within } from '../platform/context.ts'
import { getSchool, schoolDay } from '../school/service.ts'

/** What a gateway collected of a line, and is to be charged again. */
interface RechargedLine {
  lineId: string
  amount: number
}

/**
 * The saved method by which something of an order can be charged again with nobody there: that of what is paid on, else
 * that of its first payment. Null where none is saved, it has expired, or its gateway is not connected or paused.
 * @param day the school's day.
 */
export async function savedMethodOf(
  { gateways }: Pick<Tools, 'gateways'>,
  db: Queryable,
  orderId: string,
  day: string,
): Promise<SavedMethod | null> {
  const usable = and(isNull(connections.disconnectedAt), isNull(connections.pausedAt))
  const of = (table: typeof agreements | typeof attempts) => ({
    connectionId: table.connectionId,
    reference: table.savedMethod,
    method: table.method,
    expires: table.expires,
    adapter: connections.adapter,
  })
  const agreed = await db
    .select(of(agreements))
    .from(agreements)
    .innerJoin(connections, eq(connections.id, agreements.connectionId))
    .where(
      and(eq(agreements.orderId, orderId), eq(agreements.state, 'active'), isNotNull(agreements.savedMethod), usable),
    )
  const paid = await db
    .select(of(attempts))
    .from(attempts)
    .innerJoin(connections, eq(connections.id, attempts.connectionId))
    .where(
      and(
        eq(attempts.orderId, orderId),
        isNull(attempts.agreementId),
        eq(attempts.state, 'collected'),
        isNotNull(attempts.savedMethod),
        usable,
      ),
    )
    .orderBy(desc(attempts.settledAt))
  const found = [...agreed, ...paid].find(({ adapter, expires }) => {
    const { chargesAgain, known } = capabilitiesOf(gateways, adapter)
    return chargesAgain && known === 'at-once' && (expires === null || expires >= day)
  })
  return found ? { ...found, method: found.method ?? '' } : null
}

/** An attempt that charges lines again, as it is begun. */
export interface ChargingAgain {
  attempt: Attempt
  savedMethod: string
  titles: readonly string[]
}

/**
 * Stores the attempt that charges some lines of a payment again, before any gateway is asked. The caller holds the order's
 * lock, and stores the refund that waits for it in the same transaction.
 * @throws Problem at `/keep` where no saved method can be charged, or not so much.
 */
export async function startChargingAgain(
  services: Within,
  order: typeof orders.$inferSelect,
  replacesId: string,
  recharged: readonly RechargedLine[],
): Promise<ChargingAgain> {
  const { db: tx } = services
  const { id: orderId, personId, currency } = order
  const day = await schoolDay(services)
  const by = await savedMethodOf(services, tx, orderId, day)
  if (by === null || by.reference === null) throw fieldProblem('/keep', NOTHING_SAVED)
  const amount = recharged.reduce((sum, line) => sum + line.amount, 0)
  const [connection] = await tx.select().from(connections).where(eq(connections.id, by.connectionId))
  const can = capabilitiesOf(services.gateways, connection?.adapter ?? '')
  // A method that is saved already need not be kept unused.
  const why = whyNot({ ...can, keepsUnused: true }, { currency, today: 0, later: [amount], hasLaterPayments: true })
  if (why !== null) {
    const format = { ...(await getSchool(tx)), currency }
    throw fieldProblem('/keep', `${can.name} ${formatWhyNot(why, can, format)}.`)
  }
  const titles = await tx
    .select({ id: orderLines.id, title: orderLines.title })
    .from(orderLines)
    .where(eq(orderLines.orderId, orderId))
    .orderBy(orderLines.position)
  const names = titles.flatMap(({ id, title }) => (recharged.some(({ lineId }) => lineId === id) ? [title] : []))
  const attempt = await startAttempt(services, {
    about: { orderId, personId },
    asked: {
      ...{ orderId, agreementId: null, fromN: null, toN: null, replacesId, amount, currency, day, madeBy: 'creator' },
      ...{ connectionId: by.connectionId, savedMethod: by.reference, expires: by.expires },
    },
    before: [
      {
        about: { orderId, personId },
        what: 'charging-again',
        data: { amount, currency, course: names.join(', '), method: by.method },
      },
    ],
  })
  await tx
    .insert(chargedAgain)
    .values(recharged.map(({ lineId, amount: of }) => ({ attemptId: attempt.id, lineId, amount: of })))
  return { attempt, savedMethod: by.reference, titles: names }
}

/** Charges what was begun, and settles it by the answer; without one it is looked up later. */
export async function chargeAgain(services: Services, { attempt, savedMethod, titles }: ChargingAgain): Promise<void> {
  const { name: schoolName } = await getSchool(services.db)
  const outcome = await callGateway(services, {
    open: () => openConnection(services, attempt.connectionId),
    attempt,
    source: { savedMethod },
    schoolName,
    titles,
    isUnattended: true,
  })
  if (outcome) await settleAttempt(services, attempt.id, outcome, 'answer')
}

const NOTHING_SAVED =
  'No payment method of this order is saved that could be charged again. Refund all of it, or record a refund that you make by other means.'
