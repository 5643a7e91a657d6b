import { and, eq, inArray, isNull } from 'drizzle-orm'
import { REFUSED } from '../../core/words/en/refused.ts'
import { GatewayUnreachable } from '../../gateways/contract.ts'
import { lastAttemptStatus } from '../charging/status.ts'
import { attempts, OPEN_ATTEMPTS, orders } from '../db/schema/index.ts'
import type { Attempt } from '../fulfilment/notes.ts'
import { notFound, Problem } from '../http/problem.ts'
import { leaveAttempt, lookUpAttempt } from '../lookup/lookup.ts'
import type { Services } from '../platform/context.ts'
import { dropTransfer } from '../transfers/waiting.ts'
import type { Placed, Shopper } from './placing.ts'
import { isOwnOrder } from './prepare.ts'

/**
 * Settles an attempt of the shopper's own that stands in the way of a new one.
 * @returns true where it is still under way, so that nothing new may begin.
 */
export async function resolveOpenAttempt(services: Services, attempt: Attempt): Promise<boolean> {
  try {
    // A transfer of which nothing has come yet gives way to whoever pays at once.
    if (await dropTransfer(services, attempt)) return false
    await leaveAttempt(services, attempt)
  } catch (error) {
    if (!(error instanceof GatewayUnreachable)) throw error
  }
  const [after] = await services.db.select({ state: attempts.state }).from(attempts).where(eq(attempts.id, attempt.id))
  if (after?.state === 'awaiting') {
    throw new Problem(409, 'on-its-way', REFUSED.onItsWay)
  }
  return after !== undefined && OPEN_ATTEMPTS.includes(after.state)
}

/** How an order stands now. */
export async function orderStatus(services: Services, orderId: string): Promise<Placed> {
  const [order] = await services.db.select().from(orders).where(eq(orders.id, orderId))
  if (!order) throw notFound('order')
  if (order.state === 'paid') return { state: 'paid', orderId }
  const last = await lastAttemptStatus(services, { orderId })
  // Collected, and not paid: another's word for it is being settled in this moment.
  if (last.state === 'collected') return { state: 'checking', orderId }
  if (last.state !== 'confirming') return { ...last, orderId }
  return { ...last, orderId, asked: { pay: order.payToday, offers: order.quote.lines.map(({ offer }) => offer) } }
}

/** Asks the gateway about the attempt under way, and says how an order of the shopper's own stands. @throws Problem 404 for any other. */
export function checkOrder(services: Services, orderId: string, shopper: Shopper): Promise<Placed> {
  return askedOf(services, orderId, shopper, lookUpAttempt)
}

/**
 * Leaves a payment that was to be approved: its attempt is closed for good, here and at the gateway, so that approving it
 * afterwards charges nothing. One that was approved in the last moment is paid. @throws Problem 404 for an order of others.
 */
export function leaveOrder(services: Services, orderId: string, shopper: Shopper): Promise<Placed> {
  return askedOf(services, orderId, shopper, leaveAttempt)
}

async function askedOf(
  services: Services,
  orderId: string,
  shopper: Shopper,
  ask: (services: Services, attempt: Attempt) => Promise<void>,
): Promise<Placed> {
  const [order] = await services.db
    .select()
    .from(orders)
    .where(and(eq(orders.id, orderId), eq(orders.mode, shopper.mode)))
  if (!order || !isOwnOrder(order, shopper)) throw notFound('order')
  const [open] = await services.db
    .select()
    .from(attempts)
    .where(
      and(eq(attempts.orderId, orderId), isNull(attempts.agreementId), inArray(attempts.state, [...OPEN_ATTEMPTS])),
    )
  if (open) {
    try {
      await ask(services, open)
    } catch (error) {
      if (!(error instanceof GatewayUnreachable)) throw error
    }
  }
  return orderStatus(services, orderId)
}
