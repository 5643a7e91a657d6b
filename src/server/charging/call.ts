import { and, eq } from 'drizzle-orm'
import {
  type DeclineReason,
  GatewayRefused,
  GatewayUnreachable,
  type NewPayment,
  type Outcome,
} from '../../gateways/contract.ts'
import { attempts } from '../db/schema/index.ts'
import { record } from '../journal/journal.ts'
import { inTransaction, type Services } from '../platform/context.ts'
import type { Gateway } from './paymentMethods.ts'
import type { Attempt } from './start.ts'

/** An attempt whose money a gateway is asked for. */
export interface Call {
  /** Opens its gateway; one that cannot be opened at the moment does not answer. */
  open: () => Gateway | Promise<Gateway>
  attempt: Pick<Attempt, 'id' | 'orderId' | 'key' | 'amount' | 'currency'>
  /** What it is charged to. A method that was kept is charged with nobody there, who could approve it. */
  source: NewPayment['source']
  schoolName: string
  /** What is paid for. */
  titles: readonly string[]
  /** The text on the card statement; absent: the school's name. */
  statement?: string
  /** Nobody is there to approve it. */
  isUnattended?: boolean
}

/**
 * Asks a gateway for an attempt's money, by its key.
 * @returns its answer; null where none came: whether money moved is then looked up, and the attempt is left unknown.
 */
export async function callGateway(services: Services, call: Call): Promise<Outcome | null> {
  const { open, attempt, source, schoolName, titles, statement, isUnattended } = call
  const { key, amount, currency } = attempt
  try {
    const { adapter, credentials } = await open()
    const outcome = await adapter.begin(credentials, {
      key,
      amount,
      currency,
      source,
      reference: `${schoolName}: ${titles.join(', ')}`.slice(0, 120),
      statement: statement?.trim() || statementOf(schoolName),
    })
    if (outcome.state !== 'confirming' || !isUnattended) return outcome
    // It is closed at the gateway, and counts as declined.
    const closed = await adapter.abandon(credentials, key)
    return closed.state === 'abandoned' ? declined('refused') : closed
  } catch (error) {
    if (error instanceof GatewayRefused) {
      if (error.code !== 'bad-token') return declined('refused')
      return declined('savedMethod' in source ? 'no-method' : 'bad-token')
    }
    if (!(error instanceof GatewayUnreachable)) throw error
    await leaveUnknown(services, attempt, error)
    return null
  }
}

/** A decline that no gateway was asked for, or none has a reference of. */
export function declined(reason: DeclineReason, method: string | null = null): Outcome {
  return { state: 'declined', reference: '', reason, method }
}

/** Notes that a call was left without an answer: whether money moved is looked up. */
async function leaveUnknown(
  services: Services,
  attempt: Pick<Attempt, 'id' | 'orderId'>,
  error: GatewayUnreachable,
): Promise<void> {
  await inTransaction(services, async (services) => {
    const { db: tx } = services
    const [changed] = await tx
      .update(attempts)
      .set({ state: 'unknown', reason: error.message })
      .where(and(eq(attempts.id, attempt.id), eq(attempts.state, 'started')))
      .returning()
    if (changed)
      await record(tx, services.now(), { orderId: attempt.orderId }, 'attempt-unknown', { why: error.message })
  })
}

/** A statement text of at most 22 plain letters. */
function statementOf(school: string): string {
  const plain = school
    .normalize('NFKD')
    .replace(/\p{M}+/gu, '')
    .replace(/[^A-Za-z0-9 .-]+/g, ' ')
    .replace(/\s+/g, ' ')
    .trim()
  return (plain || 'COURSE').toUpperCase().slice(0, 22)
}
