import { and, desc, eq, isNull, sql } from 'drizzle-orm'
import type { DeclineReason } from '../../gateways/contract.ts'
import { attempts, connections, OPEN_ATTEMPTS } from '../db/schema/index.ts'
import { capabilitiesOf } from '../gateways/service.ts'
import type { Services } from '../platform/context.ts'

/** What became of an attempt, as a page that waits for it needs it. */
export type AttemptStatus =
  | { state: 'collected' }
  | { state: 'declined'; reason: DeclineReason | 'abandoned' }
  /** The buyer is asked to approve: in a frame, or at the gateway's own page, from where they come back. */
  | { state: 'confirming'; url: string; isElsewhere: boolean }
  /** The buyer has done their part; the money comes later. */
  | { state: 'awaiting' }
  /** The outcome is not known yet; ask again. */
  | { state: 'checking' }

/** What became of the newest attempt at what an order owed at once, or at an agreement's payments. */
export async function lastAttemptStatus(
  { db, gateways }: Pick<Services, 'db' | 'gateways'>,
  of: { orderId: string } | { agreementId: string },
): Promise<AttemptStatus> {
  const [last] = await db
    .select({
      state: attempts.state,
      confirmUrl: attempts.confirmUrl,
      reason: attempts.reason,
      adapter: connections.adapter,
    })
    .from(attempts)
    .innerJoin(connections, eq(connections.id, attempts.connectionId))
    .where(
      'orderId' in of
        ? and(eq(attempts.orderId, of.orderId), isNull(attempts.agreementId))
        : eq(attempts.agreementId, of.agreementId),
    )
    .orderBy(desc(attempts.startedAt), desc(sql`${attempts.settledAt} is null`))
    .limit(1)
  if (!last) return { state: 'declined', reason: 'abandoned' }
  if (last.state === 'confirming') {
    const isElsewhere = capabilitiesOf(gateways, last.adapter).style === 'redirect'
    return { state: 'confirming', url: last.confirmUrl ?? '', isElsewhere }
  }
  if (last.state === 'awaiting' || last.state === 'collected') return { state: last.state }
  if (OPEN_ATTEMPTS.includes(last.state)) return { state: 'checking' }
  return {
    state: 'declined',
    reason: last.state === 'declined' ? ((last.reason ?? 'refused') as DeclineReason) : 'abandoned',
  }
}
