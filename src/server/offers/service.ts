import { and, asc, countDistinct, desc, eq, inArray, isNull, max, ne, sql } from 'drizzle-orm'
import { oneByOne } from '../../core/content/bundle.ts'
import { newOffer, type OfferContent } from '../../core/content/offer.ts'
import { nameOfTerms } from '../../core/content/offerName.ts'
import { describeOffer } from '../../core/content/quoteInput.ts'
import { obstaclesOf } from '../../core/readiness/readiness.ts'
import { allPaymentMethods } from '../../gateways/registry.ts'
import { getBundle, makeBundleLive, problemsOfBundle } from '../bundles/service.ts'
import { pricesAlone } from '../catalogue/alone.ts'
import { opensWith } from '../catalogue/growth.ts'
import { getProduct } from '../catalogue/products.ts'
import { coursesOfProducts } from '../catalogue/sellable.ts'
import { makeCourseLive } from '../catalogue/service.ts'
import { type Queryable, transaction } from '../db/client.ts'
import type { Mode } from '../db/schema/columns.ts'
import { catalogue, courses, grants, offers, orderLines } from '../db/schema/index.ts'
import { findDrafted, holdDraft, makeLive, publishedOf, saveDraft } from '../drafts/drafts.ts'
import { offeredMethods } from '../gateways/service.ts'
import { notFound, Problem } from '../http/problem.ts'
import { inMode, inTransaction, type Services } from '../platform/context.ts'
import { getSchool } from '../school/service.ts'

export type Offer = typeof offers.$inferSelect

/** @throws Problem 404. */
export const getOffer = (db: Queryable, id: string): Promise<Offer> => findDrafted(db, 'offer', id)

/** One offer as the bench shows it: with its product, its neighbours and the payment methods that can collect. */
export async function openOffer(services: Services, id: string, mode: Mode) {
  const { db, gateways } = services
  const offer = await getOffer(db, id)
  const [product, others, paymentMethods, sold, holders, history, all] = await Promise.all([
    getProduct(db, offer.productId),
    db
      .select({ id: offers.id, draft: offers.draft })
      .from(offers)
      .where(and(eq(offers.productId, offer.productId), isNull(offers.retiredAt), eq(offers.isTestPurchase, false)))
      .orderBy(asc(offers.position)),
    offeredMethods(services, mode),
    countSales(db, id),
    countHolders(db, id, mode),
    publishedOf(db, 'offer', [id]),
    productsToHold(db),
  ])
  const { kind, slug, draft, live, retiredAt } = product
  const opened = await coursesOfProducts(db, [product], services.now())
  const figures = 'courses' in draft ? new Map(draft.courses.map((course) => [course.id, course.figure])) : null
  const held = (opened.get(product.id) ?? []).map((course) => course.id)
  const { now } = await inMode(services, mode)
  const alone = figures ? await pricesAlone(db, await getSchool(db), held, now()) : new Map()
  const parts = held.map((course) => ({ alone: alone.get(course) ?? null, figure: figures?.get(course) ?? null }))
  return {
    ...offer,
    sold,
    /** Buyers who have the course by this offer, in the mode. */
    holders,
    history: history.get(id) ?? [],
    /** Every course and bundle, for an offer that only their members may buy. */
    memberships: all,
    known: allPaymentMethods(gateways).map(({ capabilities }) => capabilities),
    place: others.findIndex((other) => other.id === id) + 1,
    places: others.length,
    siblings: others.map((other) => other.id),
    /** The one-time offer of the same product that installments are held against. */
    oneTimeOffer: others.find((other) => other.id !== id && other.draft.terms.kind === 'single')?.draft ?? null,
    otherNames: others.filter((other) => other.id !== id).map((other) => other.draft.name),
    product: {
      id: product.id,
      kind,
      slug,
      title: draft.title,
      summary: draft.summary,
      coverColor: draft.coverColor,
      isLive: live !== null,
      isRetired: retiredAt !== null,
      /** What stops a bundle that is still a draft from being published with the offer. */
      problems:
        kind === 'bundle' && live === null
          ? (await problemsOfBundle(services, await getBundle(db, product.id))).map(({ why }) => why)
          : [],
      /** Bundles of all courses that a course joins when it is published with the offer, with who has them. */
      opensFor: kind === 'course' && live === null && retiredAt === null ? await opensWith(services) : [],
      /** Lessons of a course, or courses of a bundle. */
      holds: 'lessons' in draft ? draft.lessons.length : draft.courses.length,
      /** What the courses of a bundle cost one by one, by the mode's clock; null of a course, and where one has no price. */
      oneByOne: figures ? oneByOne(parts).sum : null,
      /** What a bundle opens for who buys it now, with weights. */
      courses: (opened.get(product.id) ?? []).map(({ id: courseId, title, opens, weight }) => ({
        id: courseId,
        title,
        opens,
        weight,
      })),
    },
    paymentMethods: paymentMethods.map(({ adapter, capabilities }) => ({ adapter, capabilities })),
  }
}

async function countHolders(db: Queryable, offerId: string, mode: Mode): Promise<number> {
  const [row] = await db
    .select({ count: countDistinct(grants.personId) })
    .from(grants)
    .where(and(eq(grants.offerId, offerId), eq(grants.mode, mode), isNull(grants.endedAt)))
  return row?.count ?? 0
}

/** Every course and bundle that is not retired, and whether it can be bought at present. */
async function productsToHold(db: Queryable) {
  // Columns are named with their tables: of one table alone they would stand without, and mean those of the inner one.
  const isSold = sql<boolean>`catalogue.live is not null and exists (
    select from offers o where o.product_id = catalogue.id and o.on_sale and o.retired_at is null
  )`
  const rows = await db
    .select({ id: catalogue.id, kind: catalogue.kind, draft: catalogue.draft, isSold })
    .from(catalogue)
    .where(isNull(catalogue.retiredAt))
    .orderBy(desc(catalogue.kind), asc(catalogue.position))
  return rows.map(({ id, kind, draft, isSold: sold }) => ({ id, kind, title: draft.title, isSold: sold }))
}

async function countSales(db: Queryable, offerId: string): Promise<number> {
  return db.$count(orderLines, eq(orderLines.offerId, offerId))
}

export async function createOffer({ db, now }: Services, productId: string): Promise<{ id: string }> {
  return transaction(db, async (tx) => {
    await getProduct(tx, productId)
    const [last] = await tx
      .select({ position: max(offers.position) })
      .from(offers)
      .where(and(eq(offers.productId, productId), eq(offers.isTestPurchase, false)))
    const position = (last?.position ?? -1) + 1
    const blank = newOffer('')
    if (position === 0) blank.name = nameOfTerms(blank.terms)
    const { graceDays } = await getSchool(tx)
    const draft = { ...blank, access: { ...blank.access, graceDays } }
    const [row] = await tx
      .insert(offers)
      .values({ productId, position, draft, draftAt: now(), createdAt: now() })
      .returning({ id: offers.id })
    return { id: row?.id as string }
  })
}

/** @throws Problem 409 `changed-elsewhere` where `baseRev` is old. */
export function saveOfferDraft(
  { db, now }: Services,
  id: string,
  baseRev: number,
  draft: OfferContent,
): Promise<Offer> {
  return saveDraft(db, 'offer', id, { baseRev, draft, at: now() })
}

/** The field behind each obstacle that stops publishing. */
const POINTERS: Record<string, string> = {
  'no-name': '/name',
  'no-price': '/terms/amount',
  'suggested-low': '/terms/suggested',
  'sale-not-lower': '/sale/amount',
  'sale-span': '/sale/until',
  'no-holders': '/audience/of',
  'access-ended': '/access/lasts/until',
}

/**
 * Makes the draft of revision `rev` what buyers see and puts it on sale; its course or bundle goes
 * live with it where it was not.
 * @throws Problem 409 where it was changed meanwhile, 422 where something must be filled in first.
 */
export async function publishOffer(
  services: Services,
  id: string,
  rev: number,
  creatorId: string | null,
): Promise<void> {
  const { db, now } = services
  const school = await getSchool(db)
  await inTransaction(services, async (within) => {
    const { db: tx } = within
    const offer = await holdDraft(tx, 'offer', id, rev)
    if (offer.retiredAt) throw new Problem(409, 'retired', 'This offer is retired.')
    const product = await getProduct(tx, offer.productId)
    const at = now().toISOString()
    const held = (await coursesOfProducts(tx, [product], now())).get(product.id) ?? []
    const said = describeOffer(school, { id, courses: held, content: offer.draft }, at)?.priced ?? null
    const { draft, live } = offer
    const days = held.map(({ opens }) => opens)
    const ready = { kind: product.kind, live: true, retired: false, holds: 1, days, problems: [] }
    const obstacles = obstaclesOf(
      {
        draft,
        live,
        said,
        at,
        timeZone: school.timeZone,
        onSale: true,
        product: ready,
        mode: 'practice',
        paymentMethods: [],
        known: [],
        otherNames: [],
        oneTimeOffer: null,
        holdersOf: [],
        hasEarlierPrice: null,
      },
      school,
    ).filter((obstacle) => obstacle.stopsPublishing)
    if (obstacles.length > 0) {
      throw new Problem(
        422,
        'not-ready',
        'Something is missing before this can be published.',
        obstacles.map(({ code, title }) => ({ at: POINTERS[code] ?? '/terms', why: title })),
      )
    }
    const by = creatorId
    if (product.kind === 'course') {
      const [course] = await tx.select().from(courses).where(eq(courses.id, product.id)).for('update')
      if (course && !course.live) await makeCourseLive(within, course, by)
    } else if (!product.live) await makeBundleLive(within, await getBundle(tx, product.id), by, null)
    await makeLive(tx, 'offer', offer, { live: draft, at: now(), by, also: { onSale: true } })
  })
}

/** Takes an offer off sale at once, or puts what is live on sale again. */
export async function setOnSale({ db }: Services, id: string, onSale: boolean): Promise<void> {
  const offer = await getOffer(db, id)
  if (onSale && (!offer.live || offer.retiredAt)) {
    throw new Problem(409, 'not-live', 'Only a published offer can be on sale.')
  }
  await db.update(offers).set({ onSale }).where(eq(offers.id, id))
}

export async function setOfferRetired({ db, now }: Services, id: string, isRetired: boolean): Promise<void> {
  await getOffer(db, id)
  await db
    .update(offers)
    .set({ retiredAt: isRetired ? now() : null, onSale: false })
    .where(eq(offers.id, id))
}

export async function duplicateOffer({ db, now }: Services, id: string): Promise<{ id: string }> {
  return transaction(db, async (tx) => {
    const offer = await getOffer(tx, id)
    await tx
      .update(offers)
      .set({ position: sql`${offers.position} + 1` })
      .where(and(eq(offers.productId, offer.productId), sql`${offers.position} > ${offer.position}`, ne(offers.id, id)))
    const draft = { ...offer.draft, name: `${offer.draft.name} (copy)`.slice(0, 80) }
    const [row] = await tx
      .insert(offers)
      .values({ productId: offer.productId, position: offer.position + 1, draft, draftAt: now(), createdAt: now() })
      .returning({ id: offers.id })
    return { id: row?.id as string }
  })
}

/** @throws Problem 409 where it was ordered: those are retired, never deleted. */
export async function deleteOffer({ db }: Services, id: string): Promise<void> {
  await getOffer(db, id)
  if ((await countSales(db, id)) > 0) throw new Problem(409, 'was-sold', 'This offer was ordered. Retire it instead.')
  await db.delete(offers).where(eq(offers.id, id))
}

export async function reorderOffers({ db }: Services, productId: string, ids: string[]): Promise<void> {
  await transaction(db, async (tx) => {
    const known = await tx
      .select({ id: offers.id })
      .from(offers)
      .where(and(eq(offers.productId, productId), inArray(offers.id, ids)))
    if (known.length !== ids.length) throw notFound('offer')
    for (const [position, id] of ids.entries()) await tx.update(offers).set({ position }).where(eq(offers.id, id))
  })
}
