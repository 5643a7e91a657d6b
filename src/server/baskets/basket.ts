import { and, eq, exists, gte, inArray, isNotNull, isNull, lt, notInArray, or, sql } from 'drizzle-orm'
import { describeOffer } from '../../core/content/quoteInput.ts'
import { formatWholePrice } from '../../core/sentence/sentence.ts'
import { BASKET } from '../../core/words/en/basket.ts'
import { sellableLines } from '../catalogue/sellable.ts'
import type { Transaction } from '../db/client.ts'
import { attempts, basketLines, baskets, orderLines, orders } from '../db/schema/index.ts'
import { Problem } from '../http/problem.ts'
import { inTransaction, type Services } from '../platform/context.ts'
import { getSchool } from '../school/service.ts'
import type { Visitor } from '../session/visitor.ts'

export type Basket = typeof baskets.$inferSelect
export type BasketRow = typeof basketLines.$inferSelect

/** Whose basket: who is signed in, or the browser by its own cookie. */
export type Owner = Pick<Visitor, 'mode' | 'person'> & { basketHash?: string | null | undefined }

/** For so many days a basket is kept after it was changed. */
export const BASKET_DAYS = 90
/** Most things in one. */
const MAX_IN_BASKET = 20
/** What was taken out can be put back for so long. */
const PUT_BACK_MINUTES = 60

/**
 * The basket of a visitor; null where there is none. Of who is signed in what this browser collected before joins their
 * own, each thing once, and is the account's from then on.
 */
export async function findBasket(services: Services, owner: Owner): Promise<Basket | null> {
  const { db } = services
  const { mode, person, basketHash } = owner
  const [ofBrowser] = basketHash
    ? await db
        .select()
        .from(baskets)
        .where(and(eq(baskets.mode, mode), eq(baskets.tokenHash, basketHash)))
    : []
  if (!person) return ofBrowser ?? null
  if (ofBrowser) return inTransaction(services, ({ db: tx, now }) => claim(tx, ofBrowser.id, person.id, now()))
  const [own] = await db.select().from(baskets).where(eq(baskets.personId, person.id))
  return own ?? null
}

/** Whether a browser's cookie is that of a basket. */
export async function isBasketKnown({ db }: Services, { mode, basketHash }: Owner): Promise<boolean> {
  if (!basketHash) return false
  return (await db.$count(baskets, and(eq(baskets.mode, mode), eq(baskets.tokenHash, basketHash)))) > 0
}

/** Makes a browser's basket that of an account, or adds it to the one that the account has. */
async function claim(tx: Transaction, id: string, personId: string, at: Date): Promise<Basket | null> {
  await tx.execute(sql`select pg_advisory_xact_lock(hashtextextended('basket ' || ${personId}, 0))`)
  const [ofBrowser] = await tx.select().from(baskets).where(eq(baskets.id, id)).for('update')
  const [own] = await tx.select().from(baskets).where(eq(baskets.personId, personId)).for('update')
  // Another request of the same browser was first.
  if (!ofBrowser || ofBrowser.tokenHash === null) return own ?? null
  if (!own) {
    const [claimed] = await tx.update(baskets).set({ personId, tokenHash: null }).where(eq(baskets.id, id)).returning()
    return claimed ?? null
  }
  await mergeBaskets(tx, id, own.id)
  await tx.update(baskets).set({ changedAt: at }).where(eq(baskets.id, own.id))
  return own
}

/** Puts all that is in one basket into another, nothing twice, and ends the first; its orders are the other's. */
async function mergeBaskets(tx: Transaction, fromId: string, toId: string): Promise<void> {
  const rows = await tx.select().from(basketLines).where(eq(basketLines.basketId, fromId))
  for (const row of rows) {
    await tx
      .insert(basketLines)
      .values({ ...row, basketId: toId })
      .onConflictDoUpdate({
        target: [basketLines.basketId, basketLines.productId],
        // What was taken out there and collected here is wanted.
        set: { takenOutAt: sql`case when excluded.taken_out_at is null then null else ${basketLines.takenOutAt} end` },
      })
  }
  await tx.update(orders).set({ fromBasketId: toId }).where(eq(orders.fromBasketId, fromId))
  await tx.delete(baskets).where(eq(baskets.id, fromId))
}

/** The same for two persons who are one buyer. */
export async function joinBaskets(tx: Transaction, personId: string, otherId: string): Promise<void> {
  const [own] = await tx.select().from(baskets).where(eq(baskets.personId, personId)).for('update')
  const [other] = await tx.select().from(baskets).where(eq(baskets.personId, otherId)).for('update')
  if (!other) return
  if (own) await mergeBaskets(tx, other.id, own.id)
  else await tx.update(baskets).set({ personId }).where(eq(baskets.id, other.id))
}

/** The basket of a visitor, made where there is none. A browser without a cookie cannot have one. */
async function basketOf(services: Services, owner: Owner): Promise<Basket> {
  const known = await findBasket(services, owner)
  if (known) return known
  const { mode, person, basketHash } = owner
  const whose = person ? { personId: person.id } : { tokenHash: basketHash as string }
  await services.db
    .insert(baskets)
    .values({ mode, ...whose, changedAt: services.now() })
    .onConflictDoNothing()
  const made = await findBasket(services, owner)
  if (!made) throw new Error('The basket was not stored.')
  return made
}

/** What is in a basket, in the order in which it was put in; what was bought from it is removed. */
export async function linesIn(services: Services, basket: Basket): Promise<BasketRow[]> {
  const { db } = services
  await dropBought(services, basket)
  return db
    .select()
    .from(basketLines)
    .where(
      and(
        eq(basketLines.basketId, basket.id),
        or(isNull(basketLines.takenOutAt), gte(basketLines.takenOutAt, putBackSince(services.now()))),
      ),
    )
    .orderBy(basketLines.addedAt, basketLines.productId)
}

function putBackSince(now: Date): Date {
  return new Date(now.getTime() - PUT_BACK_MINUTES * 60_000)
}

/** Takes out what an order from this basket has paid for, or waits for its money. */
async function dropBought({ db }: Services, { id }: Basket): Promise<void> {
  const awaited = db
    .select({ id: attempts.id })
    .from(attempts)
    .where(
      and(
        eq(attempts.orderId, orders.id),
        eq(attempts.state, 'awaiting'),
        gte(attempts.startedAt, basketLines.addedAt),
      ),
    )
  const bought = db
    .select({ id: orders.id })
    .from(orders)
    .innerJoin(orderLines, eq(orderLines.orderId, orders.id))
    .where(
      and(
        eq(orders.fromBasketId, id),
        eq(orderLines.productId, basketLines.productId),
        // An order that was begun before may be gone on with from the basket.
        or(gte(orders.paidAt, basketLines.addedAt), exists(awaited)),
      ),
    )
  await db.delete(basketLines).where(and(eq(basketLines.basketId, id), exists(bought)))
}

/** How many things are in a visitor's basket. */
export async function countIn(services: Services, owner: Owner): Promise<number> {
  const basket = await findBasket(services, owner)
  if (!basket) return 0
  return (await linesIn(services, basket)).filter(({ takenOutAt }) => takenOutAt === null).length
}

/**
 * Puts offers into a visitor's basket; another offer of a product that is in it takes its place.
 * @throws Problem 410 where one is not on sale, 409 where the basket is full.
 */
export async function putIn(services: Services, owner: Owner, offerIds: readonly string[]): Promise<void> {
  const at = services.now()
  const [school, lines] = await Promise.all([getSchool(services.db), sellableLines(services.db, offerIds, at)])
  const rows = offerIds.flatMap((id) => {
    const line = lines.get(id)
    if (!line || line.offer.live.audience.who === 'added') return []
    const said = describeOffer(school, { id, courses: line.courses, content: line.offer.live }, at.toISOString())
    return said ? [{ productId: line.product.id, offerId: id, priceSeen: formatWholePrice(said.priced) }] : []
  })
  if (rows.length === 0) throw new Problem(410, 'not-on-sale', BASKET.notOnSale)
  const basket = await basketOf(services, owner)
  const there = await linesIn(services, basket)
  const fresh = rows.filter(({ productId }) => !there.some((row) => row.productId === productId))
  if (there.length + fresh.length > MAX_IN_BASKET) throw new Problem(409, 'basket-full', BASKET.full)
  const { db } = services
  for (const [index, row] of rows.entries()) {
    // In the order in which they were asked for.
    const addedAt = new Date(at.getTime() + index)
    await db
      .insert(basketLines)
      .values({ basketId: basket.id, ...row, addedAt })
      .onConflictDoUpdate({
        target: [basketLines.basketId, basketLines.productId],
        set: {
          offerId: row.offerId,
          priceSeen: row.priceSeen,
          takenOutAt: null,
          chosen: sql`case when ${basketLines.offerId} = excluded.offer_id then ${basketLines.chosen} end`,
        },
      })
  }
  await touch(services, basket)
}

/** Takes a thing out of a visitor's basket, or puts it back. What is not in it is left alone. */
export async function setTakenOut(
  services: Services,
  owner: Owner,
  productId: string,
  isTakenOut: boolean,
): Promise<void> {
  const basket = await findBasket(services, owner)
  if (!basket) return
  await services.db
    .update(basketLines)
    .set({ takenOutAt: isTakenOut ? services.now() : null })
    .where(and(eq(basketLines.basketId, basket.id), eq(basketLines.productId, productId)))
  await touch(services, basket)
}

/** Keeps the price that a buyer names for a thing in their basket. */
export async function nameIn(services: Services, owner: Owner, productId: string, chosen: number): Promise<void> {
  const basket = await findBasket(services, owner)
  if (!basket) return
  await services.db
    .update(basketLines)
    .set({ chosen })
    .where(and(eq(basketLines.basketId, basket.id), eq(basketLines.productId, productId)))
  await touch(services, basket)
}

async function touch({ db, now }: Services, { id }: Basket): Promise<void> {
  await db.update(baskets).set({ changedAt: now() }).where(eq(baskets.id, id))
}

/** Ends baskets that nobody changed for as long as they are kept; a purchase under way keeps its own. @returns how many. */
export async function endOldBaskets({ db }: Pick<Services, 'db'>, now: Date): Promise<number> {
  const before = new Date(now.getTime() - BASKET_DAYS * 86_400_000)
  const underWay = db
    .select({ id: orders.fromBasketId })
    .from(orders)
    .where(and(isNotNull(orders.fromBasketId), eq(orders.state, 'paying')))
  const ended = await db
    .delete(baskets)
    .where(and(lt(baskets.changedAt, before), notInArray(baskets.id, underWay)))
    .returning({ id: baskets.id })
  return ended.length
}

/** What a person's basket holds, for the document of all that is kept of them. */
export async function basketOfPerson({ db }: Pick<Services, 'db'>, personId: string): Promise<BasketRow[]> {
  const own = db.select({ id: baskets.id }).from(baskets).where(eq(baskets.personId, personId))
  return db.select().from(basketLines).where(inArray(basketLines.basketId, own))
}
