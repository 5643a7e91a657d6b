import { and, asc, desc, eq, inArray, isNull } from 'drizzle-orm'
import { UPSELL_MINUTES, type Upsell, upsellAfter } from '../../core/content/checkoutPage.ts'
import { toCollect, whyNot } from '../../core/paymentMethods/collects.ts'
import { BANK_TRANSFER_ID } from '../../gateways/bankTransfer.ts'
import { type Offered, offeredTo } from '../checkout/additions.ts'
import { quoteFollowing } from '../checkout/codedQuote.ts'
import type { Quoted } from '../checkout/quoteBasket.ts'
import { attempts, connections, orders, upsellRefusals } from '../db/schema/index.ts'
import { versionOf } from '../drafts/drafts.ts'
import { type PaymentMethod, shownPaymentMethods } from '../gateways/shownMethods.ts'
import type { Services } from '../platform/context.ts'
import type { School } from '../school/service.ts'
import type { Visitor } from '../session/visitor.ts'
import { inheritedTerms } from './inherited.ts'

type Order = typeof orders.$inferSelect

/** The upsells of an order's page, as its buyer saw the page, and how far the buyer came. */
export interface Walk {
  order: Order
  upsells: Upsell[]
  /** When they end by themselves. */
  ends: Date
  /** The connection by whose transfer the order is paid; null where it is paid otherwise. */
  byTransfer: string | null
  followers: Order[]
  /** Those of the followers that wait for their money, their buyer having done their part. */
  awaited: ReadonlySet<string>
  refused: ReadonlySet<string>
}

/**
 * The upsells that are open for an order; null where its page has none, they have ended, or it is not paid. An order that
 * waits for a bank transfer has them where the page says so (selling rules, section 5).
 */
export async function walkOf({ db, now }: Services, order: Order): Promise<Walk | null> {
  if (order.followsId !== null || order.pageId === null || order.pageVersion === null) return null
  if (order.upsellsEndedAt !== null) return null
  const page = await versionOf(db, 'page', order.pageId, order.pageVersion)
  if (!page || page.upsells.length === 0) return null
  const [paying] = await db
    .select({ attempt: attempts, adapter: connections.adapter })
    .from(attempts)
    .innerJoin(connections, eq(connections.id, attempts.connectionId))
    .where(
      and(
        eq(attempts.orderId, order.id),
        isNull(attempts.agreementId),
        inArray(attempts.state, ['awaiting', 'collected']),
      ),
    )
    .orderBy(desc(attempts.startedAt))
    .limit(1)
  const isByTransfer = paying?.adapter === BANK_TRANSFER_ID
  if (isByTransfer && !page.upsellsByTransfer) return null
  const begun = isByTransfer ? paying.attempt.startedAt : order.paidAt
  if (!begun) return null
  const ends = new Date(begun.getTime() + UPSELL_MINUTES * 60_000)
  if (now() >= ends) return null
  const [followers, refusals] = await Promise.all([
    db.select().from(orders).where(eq(orders.followsId, order.id)).orderBy(asc(orders.number)),
    db.select({ upsell: upsellRefusals.upsell }).from(upsellRefusals).where(eq(upsellRefusals.orderId, order.id)),
  ])
  const ids = followers.map(({ id }) => id)
  const awaited = await db
    .select({ id: attempts.orderId })
    .from(attempts)
    .where(and(inArray(attempts.orderId, ids), eq(attempts.state, 'awaiting')))
  return {
    order,
    upsells: page.upsells,
    ends,
    byTransfer: isByTransfer ? paying.attempt.connectionId : null,
    followers,
    awaited: new Set(awaited.map(({ id }) => id)),
    refused: new Set(refusals.map(({ upsell }) => upsell)),
  }
}

/** Whether an order was taken: it is paid, or its buyer has done their part. */
function isTaken({ awaited }: Walk, { id, state }: Order): boolean {
  return state === 'paid' || awaited.has(id)
}

/** The step at which a buyer stands, with what it comes to by the codes of the order before it. */
export interface UpsellStatus {
  step: Upsell
  offered: Offered<Upsell>
  quoted: Quoted
  /** The payment methods that can collect it. */
  paymentMethods: PaymentMethod[]
  /** An order of it that is not paid. */
  order: Order | null
}

/**
 * Where a buyer stands: the first step on their way that is not answered. What they have already, is off sale, or cannot be
 * collected is passed by as if they had said no. Null where the way is at its end.
 */
export async function upsellStatus(
  services: Services,
  school: School,
  walk: Walk,
  visitor: Visitor,
): Promise<UpsellStatus | null> {
  const { order, upsells, followers, refused, byTransfer } = walk
  const methods = await shownPaymentMethods(services, order.mode, school.currency)
  let step = upsells[0] ?? null
  while (step) {
    const { id } = step
    const own = followers.find(({ upsell }) => upsell === id) ?? null
    if (own && isTaken(walk, own)) {
      step = upsellAfter(upsells, step, 'yes')
      continue
    }
    const [offered] = refused.has(id) ? [] : await offeredTo(services, school, [step], visitor)
    if (offered) {
      const line = { ...offered.line, role: 'upsell' as const, chosen: null }
      const terms = await inheritedTerms(services.db, order, line)
      const quoted = quoteFollowing(school, [line], terms, services.now())
      const need = toCollect(quoted.quote, school.currency)
      const isFree = need.today === 0 && !need.hasLaterPayments
      const able = methods.filter(
        ({ connectionId, can }) =>
          (byTransfer === null ? true : connectionId === byTransfer) && whyNot(can, need) === null,
      )
      if (isFree || able.length > 0) return { step, offered, quoted, paymentMethods: isFree ? [] : able, order: own }
    }
    step = upsellAfter(upsells, step, 'no')
  }
  return null
}
