import { and, desc, eq, exists, inArray, isNotNull, isNull, or, sql } from 'drizzle-orm'
import * as v from 'valibot'
import { UPSELLS } from '../../core/words/en/upsells.ts'
import type { SavedMethod } from '../charging/paymentMethods.ts'
import { placeBasket } from '../checkout/place.ts'
import { type Placed, placeSchema, type Shopper } from '../checkout/placing.ts'
import { isOwnOrder } from '../checkout/prepare.ts'
import { orderStatus } from '../checkout/status.ts'
import type { Queryable } from '../db/client.ts'
import {
  agreements,
  attempts,
  catalogue,
  connections,
  offers,
  orders,
  people,
  upsellRefusals,
} from '../db/schema/index.ts'
import { notFound, Problem } from '../http/problem.ts'
import { record } from '../journal/journal.ts'
import { inTransaction, type Services } from '../platform/context.ts'
import { getSchool } from '../school/service.ts'
import { inheritedTerms } from './inherited.ts'
import { upsellStatus, walkOf } from './walk.ts'

type Order = typeof orders.$inferSelect

/** A yes: what the button said, and what is given to pay with; null: what the order before it was paid with. */
export const takeSchema = v.object({
  agreed: placeSchema.entries.agreed,
  payment: placeSchema.entries.payment,
})

/** An order of the shopper's own, by this browser or their account. @throws Problem 404 for any other. */
async function ownOrder({ db }: Services, orderId: string, shopper: Shopper): Promise<Order> {
  const [order] = await db
    .select()
    .from(orders)
    .where(and(eq(orders.id, orderId), eq(orders.mode, shopper.mode)))
  if (!order || !isOwnOrder(order, shopper)) throw notFound('order')
  return order
}

/**
 * Orders an upsell: an order of its own that names the one it follows, paid by the method of that one where nothing else is
 * given. Whoever presses how often, in however many tabs, it is charged once.
 * @throws Problem 410 where it is not offered any more, and as for placing an order.
 */
export async function takeUpsell(
  services: Services,
  orderId: string,
  upsell: string,
  { agreed, payment }: v.InferOutput<typeof takeSchema>,
  shopper: Shopper,
): Promise<Placed> {
  const order = await ownOrder(services, orderId, shopper)
  // Pressed again after it was bought: what was bought is the answer, also once the upsells have ended.
  const taken = await takenBefore(services, order, upsell)
  if (taken) return orderStatus(services, taken)
  const walk = await walkOf(services, order)
  const school = await getSchool(services.db)
  const status = walk && (await upsellStatus(services, school, walk, shopper))
  if (!walk || status?.step.id !== upsell) throw new Problem(410, 'upsell-ended', UPSELLS.ended)
  const { line } = status.offered
  const [[person], terms, method] = await Promise.all([
    services.db.select().from(people).where(eq(people.id, order.personId)),
    inheritedTerms(services.db, order, line),
    methodOf(services, order),
  ])
  if (!person) throw notFound('order')
  const request = {
    lines: [{ offerId: line.offer.id, chosen: null }],
    name: order.buyerName ?? person.name,
    email: person.email,
    isTold: true,
    agreed,
    payment,
  }
  const lines = [{ ...line, role: 'upsell' as const, chosen: null }]
  return placeBasket(services, lines, request, shopper, { follows: { order, upsell, terms, method } })
}

/** The order of an upsell that is paid, or whose buyer has done their part; null where there is none. */
async function takenBefore({ db }: Services, { id }: Order, upsell: string): Promise<string | null> {
  const awaited = db
    .select({ id: attempts.id })
    .from(attempts)
    .where(and(eq(attempts.orderId, orders.id), eq(attempts.state, 'awaiting')))
  const [taken] = await db
    .select({ id: orders.id })
    .from(orders)
    .where(and(eq(orders.followsId, id), eq(orders.upsell, upsell), or(eq(orders.state, 'paid'), exists(awaited))))
    .limit(1)
  return taken?.id ?? null
}

/** Notes a no; said again, or of what is answered already, it changes nothing. @throws Problem 404 of no order of theirs. */
export async function refuseUpsell(
  services: Services,
  orderId: string,
  upsell: string,
  shopper: Shopper,
): Promise<void> {
  const order = await ownOrder(services, orderId, shopper)
  const walk = await walkOf(services, order)
  const refused = walk?.upsells.find(({ id }) => id === upsell)
  if (!refused) return
  const title = refused.title || (await titleOf(services.db, refused.offerId))
  const createdAt = services.now()
  await inTransaction(services, async ({ db: tx }) => {
    const noted = await tx
      .insert(upsellRefusals)
      .values({ orderId, upsell, createdAt })
      .onConflictDoNothing()
      .returning()
    if (noted.length === 0) return
    await record(tx, createdAt, { orderId, personId: order.personId }, 'upsell-refused', { title })
  })
}

/** What an offer sells, by its title. */
async function titleOf(db: Queryable, offerId: string | null): Promise<string> {
  if (offerId === null) return ''
  const [product] = await db
    .select({ live: catalogue.live, draft: catalogue.draft })
    .from(catalogue)
    .innerJoin(offers, eq(offers.productId, catalogue.id))
    .where(eq(offers.id, offerId))
  return product ? (product.live ?? product.draft).title : ''
}

/** The method that an order, or what followed it, was paid with last, as far as it is saved and can be charged. */
export async function methodOf({ db }: { db: Queryable }, order: Order): Promise<SavedMethod | null> {
  const ofWalk = or(eq(orders.id, order.id), eq(orders.followsId, order.id))
  const usable = and(isNull(connections.disconnectedAt), isNull(connections.pausedAt))
  const [paid] = await db
    .select({ attempt: attempts })
    .from(attempts)
    .innerJoin(orders, eq(orders.id, attempts.orderId))
    .innerJoin(connections, eq(connections.id, attempts.connectionId))
    .where(
      and(
        ofWalk,
        isNull(attempts.agreementId),
        eq(attempts.state, 'collected'),
        isNotNull(attempts.savedMethod),
        usable,
      ),
    )
    .orderBy(desc(attempts.settledAt))
    .limit(1)
  if (paid) {
    const { connectionId, savedMethod, method, expires } = paid.attempt
    return { connectionId, reference: savedMethod, method: method ?? '', expires }
  }
  // Of a trial nothing was charged yet, but a method was saved for what comes.
  const [promised] = await db
    .select({ agreement: agreements })
    .from(agreements)
    .innerJoin(orders, eq(orders.id, agreements.orderId))
    .innerJoin(connections, eq(connections.id, agreements.connectionId))
    .where(and(ofWalk, isNotNull(agreements.savedMethod), usable))
    .limit(1)
  if (!promised) return null
  const { connectionId, savedMethod, method, expires } = promised.agreement
  return { connectionId, reference: savedMethod, method: method ?? '', expires }
}

/** The buyer has gone on to the thanks page: nothing is offered any more, and what was saved for it can be forgotten. */
export async function endUpsells(services: Services, order: Order): Promise<void> {
  if (!(await walkOf(services, order))) return
  const { db } = services
  const at = services.now()
  await db
    .update(orders)
    .set({ upsellsEndedAt: at })
    .where(and(eq(orders.id, order.id), isNull(orders.upsellsEndedAt)))
  const ofWalk = db
    .select({ id: orders.id })
    .from(orders)
    .where(or(eq(orders.id, order.id), eq(orders.followsId, order.id)))
  await db
    .update(attempts)
    .set({ forgetAt: sql`least(${attempts.forgetAt}, ${at.toISOString()}::timestamptz)` })
    .where(and(inArray(attempts.orderId, ofWalk), isNotNull(attempts.forgetAt)))
}
