import { and, desc, eq, isNull } from 'drizzle-orm'
import { nextPayment, nextTryOf, payableOn } from '../../core/collecting/agreement.ts'
import { readAgreement } from '../agreements/agreements.ts'
import { buyAgainPathOf } from '../catalogue/products.ts'
import { makePayLink } from '../collecting/payLinks.ts'
import { attempts, catalogue, grants, offers } from '../db/schema/index.ts'
import { makeOrderLink } from '../orders/orderLinks.ts'
import { paymentReceiptOf } from '../orders/paymentReceipt.ts'
import type { Services } from '../platform/context.ts'
import { getSchool, schoolDay } from '../school/service.ts'
import { type AgreementFacts, formatDecline } from './composeAgreement.ts'

/**
 * What there is to say about an agreement now, with a fresh link that pays it.
 * @param attemptId of a message about a payment: what collected it.
 */
export async function factsOf(
  services: Services,
  agreementId: string,
  attemptId: string | null,
): Promise<AgreementFacts> {
  const { db, config } = services
  const held = await readAgreement(db, agreementId)
  const { agreement, line, order, row, scheduled } = held
  const { retryAfterDays } = await getSchool(db)
  const day = await schoolDay(services)
  const [grant] = await db
    .select({ closes: grants.closes, suspendedFrom: grants.suspendedFrom })
    .from(grants)
    .where(and(eq(grants.lineId, line.id), isNull(grants.endedAt)))
  const [lastTry] = await db
    .select({ state: attempts.state, reason: attempts.reason })
    .from(attempts)
    .where(eq(attempts.agreementId, agreementId))
    .orderBy(desc(attempts.startedAt))
    .limit(1)
  const [course] = await db
    .select({ slug: catalogue.slug, pageSlug: catalogue.pageSlug })
    .from(catalogue)
    .innerJoin(offers, eq(offers.productId, catalogue.id))
    .where(eq(offers.id, line.offerId))
  const payable = payableOn(agreement, day)
  const last = scheduled[agreement.collected - 1]
  const next = nextPayment(agreement)
  const on = nextTryOf(agreement, retryAfterDays)
  const ends = [grant?.closes, grant?.suspendedFrom].filter((end) => end != null).sort()
  return {
    course: line.title,
    currency: order.currency,
    method: row.method,
    isInstallments: agreement.kind === 'installments',
    last: last ? { pay: last.pay, day: agreement.lastCollected } : null,
    receipt: attemptId === null ? null : await receiptFor(services, order.id, attemptId),
    due: payable.reduce((sum, { pay }) => sum + pay, 0),
    dueSince: payable[0]?.due ?? null,
    next: next && on ? { pay: next.pay, on } : null,
    why: lastTry?.state === 'declined' ? formatDecline(lastTry.reason) : null,
    closedFrom: ends[0] ?? null,
    isClosed: ends[0] !== undefined && ends[0] <= day,
    payLink: await makePayLink(services, agreementId),
    myCourses: `${config.origin}/my`,
    buyAgain: `${config.origin}${course ? buyAgainPathOf(course, line.offerId) : '/'}`,
  }
}

async function receiptFor(services: Services, orderId: string, attemptId: string): Promise<AgreementFacts['receipt']> {
  const of = await paymentReceiptOf(services, orderId, attemptId)
  return of && { of, link: `${await makeOrderLink(services, orderId)}/payments/${attemptId}` }
}
