import { and, desc, eq, ne, sql } from 'drizzle-orm'
import type { Charge } from '../../core/collecting/refund.ts'
import type { Queryable } from '../db/client.ts'
import { attempts, chargedAgain, connections, disputes, payments, refunds } from '../db/schema/index.ts'
import { capabilitiesOf } from '../gateways/service.ts'
import type { Tools } from '../platform/context.ts'

/** What an attempt collected of a line, and how it can be given back. */
export interface RefundableCharge extends Charge {
  lineId: string
  amount: number
  /** What the same attempt collected in all, where that is more: of several lines. */
  together: number | null
  /** What was given back of it, or is being. */
  given: number
  isDisputed: boolean
  /** The attempt that charges it again, or has, so that all of this one can be refunded; null where none does. */
  againBy: string | null
  /** When it was collected. */
  at: Date | null
  method: string | null
  gateway: string
  isByHand: boolean
}

/** What was collected for the lines of an order, newest first, and what is left of it to give back. */
export async function chargesOf(
  { gateways }: Pick<Tools, 'gateways'>,
  db: Queryable,
  orderId: string,
): Promise<RefundableCharge[]> {
  const given = db
    .select({
      lineId: refunds.lineId,
      attemptId: refunds.attemptId,
      amount: sql<number>`sum(${refunds.amount})::float8`.as('given_amount'),
    })
    .from(refunds)
    .where(and(eq(refunds.orderId, orderId), ne(refunds.state, 'refused')))
    .groupBy(refunds.lineId, refunds.attemptId)
    .as('given')
  const rows = await db
    .select({
      id: attempts.id,
      whole: attempts.amount,
      at: attempts.settledAt,
      method: attempts.method,
      adapter: connections.adapter,
      lineId: payments.lineId,
      amount: sql<number>`sum(${payments.pay})::float8`,
      given: sql<number>`coalesce(max(${given.amount}), 0)::float8`,
      // What is disputed goes back by the dispute, if it does.
      againBy: sql<string | null>`(select b.id from ${attempts} b join ${chargedAgain} c on c.attempt_id = b.id
        where b.replaces_id = ${attempts.id} and c.line_id = ${payments.lineId}
          and b.state in ('started', 'unknown', 'confirming', 'awaiting', 'collected'))`,
      isDisputed: sql<boolean>`exists (select from ${disputes} d where d.attempt_id = ${attempts.id} and d.state in ('open', 'contested'))`,
    })
    .from(attempts)
    .innerJoin(payments, eq(payments.attemptId, attempts.id))
    .innerJoin(connections, eq(connections.id, attempts.connectionId))
    .leftJoin(given, and(eq(given.attemptId, attempts.id), eq(given.lineId, payments.lineId)))
    .where(and(eq(attempts.orderId, orderId), eq(attempts.state, 'collected')))
    .groupBy(attempts.id, connections.adapter, payments.lineId)
    .orderBy(desc(attempts.settledAt), desc(attempts.startedAt))
  return rows.map(({ id, whole, at, method, adapter, lineId, amount, given: before, isDisputed, againBy }) => {
    const { name, refunds: can, style } = capabilitiesOf(gateways, adapter)
    // What gives back whole payments only cannot give back one line of several, nor the rest of a part.
    const cannot = isDisputed || can === 'none' || (can === 'whole' && amount !== whole)
    const left = cannot ? 0 : amount - before
    const gives = can === 'whole' ? ('whole' as const) : ('part' as const)
    const together = amount === whole ? null : whole
    return {
      id,
      lineId,
      amount,
      together,
      given: before,
      isDisputed,
      againBy,
      at,
      left,
      gives,
      method,
      gateway: name,
      isByHand: style === 'offline',
    }
  })
}
