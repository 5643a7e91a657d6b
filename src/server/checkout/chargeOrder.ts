import { REFUSED } from '../../core/words/en/refused.ts'
import { say } from '../../core/words/message.ts'
import { BASKET_SLUG } from '../catalogue/slug.ts'
import { callGateway } from '../charging/call.ts'
import { gatewayDown, isUp, type OpenPaymentMethod, sourceOf } from '../charging/paymentMethods.ts'
import type { Attempt } from '../fulfilment/notes.ts'
import { settleAttempt } from '../fulfilment/settle.ts'
import { Problem } from '../http/problem.ts'
import { inTransaction, type Services } from '../platform/context.ts'
import { awaitTransfer } from '../transfers/transfers.ts'
import type { Placed, Placing } from './placing.ts'
import { type Prepared, prepare } from './prepare.ts'
import { orderStatus, resolveOpenAttempt } from './status.ts'

/**
 * Stores an order with its attempt and charges it; what was left open by an earlier try is settled first.
 * @param whenCollected is done beside the settling of what was collected at once.
 * @throws Problem 409 where the buyer has it already or a code counts no more, 503 where no try comes to an end.
 */
export async function storeAndCharge(
  services: Services,
  paymentMethod: OpenPaymentMethod | null,
  placing: Placing,
  whenCollected: () => Promise<void>,
): Promise<Placed> {
  // An attempt left open by this order is settled first; then there is nothing in the way.
  for (let round = 0; round < 3; round++) {
    const prepared = await inTransaction(services, (services) => prepare(services, placing))
    if (prepared.kind === 'paid') return { state: 'paid', orderId: prepared.orderId }
    const refusal = refusalOf(prepared, placing)
    if (refusal) throw refusal
    if (prepared.kind === 'ready' && paymentMethod) {
      return charge(services, paymentMethod, prepared.attempt, placing, whenCollected)
    }
    if (prepared.kind !== 'busy') break
    const stillBusy = await resolveOpenAttempt(services, prepared.attempt)
    if (stillBusy) return { state: 'checking', orderId: prepared.order.id }
  }
  throw new Problem(503, 'busy', REFUSED.busy)
}

/** Why an order is not placed; null where it is. */
function refusalOf(prepared: Prepared, { lines }: Placing): Problem | null {
  switch (prepared.kind) {
    case 'owned': {
      const says = lines.length === 1 ? REFUSED.owned : say(REFUSED.ownedOne, { course: prepared.title })
      return new Problem(409, 'already-yours', says)
    }
    case 'same':
      return new Problem(409, 'already-yours', prepared.mayComeBack ? REFUSED.mayComeBack : REFUSED.payingAlready)
    case 'untold':
      return new Problem(409, 'held', REFUSED.heldAlready)
    case 'refused':
      // One sentence for whatever an unverified email may not order; it tells nobody why.
      return new Problem(409, 'not-with-this-email', REFUSED.address)
    case 'code':
      return new Problem(409, 'code-changed', prepared.says)
    default:
      return null
  }
}

/** Calls the gateway and settles by its answer; no answer is kept as unknown, for the look-up. */
async function charge(
  services: Services,
  paymentMethod: OpenPaymentMethod,
  attempt: Attempt,
  placing: Placing,
  whenCollected: () => Promise<void>,
): Promise<Placed> {
  const { school, page, lines, payment, hasLater, charged, savesForUpsells, follows } = placing
  const { gateway } = paymentMethod
  if (!gateway) {
    await awaitTransfer(services, attempt)
    return orderStatus(services, attempt.orderId)
  }
  if (!(await isUp(paymentMethod))) {
    // Its key was never sent.
    await settleAttempt(services, attempt.id, { state: 'abandoned' }, 'answer')
    throw gatewayDown(paymentMethod)
  }
  const [first] = lines
  const back = follows
    ? `/next/${follows.order.id}`
    : page?.productId === null
      ? `/buy/${BASKET_SLUG}?back=${attempt.orderId}`
      : `/buy/${page?.slug ?? first?.product.slug}?offer=${first?.offer.id}&back=${attempt.orderId}`
  const outcome = await callGateway(services, {
    open: () => gateway,
    attempt,
    source: charged?.reference
      ? { savedMethod: charged.reference }
      : sourceOf(paymentMethod, payment?.token ?? '', hasLater || savesForUpsells, services.config.origin + back),
    schoolName: school.name,
    titles: lines.map(({ product }) => product.title),
    ...(lines.length === 1 && first ? { statement: first.offer.live.statement } : {}),
  })
  if (!outcome) return orderStatus(services, attempt.orderId)
  const settling = settleAttempt(services, attempt.id, outcome, 'answer')
  if (outcome.state === 'collected') {
    // It is paid, whoever settled it first; everything else is read from what is stored.
    await Promise.all([settling, whenCollected()])
    return { state: 'paid', orderId: attempt.orderId }
  }
  await settling
  return orderStatus(services, attempt.orderId)
}
