import { and, asc, countDistinct, eq, inArray, isNull, max, ne, sql } from 'drizzle-orm'
import { newOffer, type OfferContent } from '../../core/content/offer.ts'
import { describeOffer } from '../../core/content/quoteInput.ts'
import { obstaclesOf } from '../../core/readiness/readiness.ts'
import { allPaymentMethods } from '../../gateways/registry.ts'
import { getCourse } from '../catalogue/service.ts'
import type { Queryable } from '../db/client.ts'
import type { Mode } from '../db/schema/columns.ts'
import { courses, grants, offers, orderLines } from '../db/schema/index.ts'
import { findDrafted, holdDraft, makeLive, publishedOf, saveDraft } from '../drafts/drafts.ts'
import { offeredMethods } from '../gateways/service.ts'
import { notFound, Problem } from '../http/problem.ts'
import type { Services } from '../platform/context.ts'
import { getSchool } from '../school/service.ts'

export type Offer = typeof offers.$inferSelect

/** @throws Problem 404. */
export const getOffer = (db: Queryable, id: string): Promise<Offer> => findDrafted(db, 'offer', id)

/** One offer as the bench shows it: with its course, its neighbours and the payment methods that can collect. */
export async function openOffer(services: Services, id: string, mode: Mode) {
  const { db, gateways } = services
  const offer = await getOffer(db, id)
  const [course, others, paymentMethods, sold, holders, history, all] = await Promise.all([
    getCourse(db, offer.productId),
    db
      .select({ id: offers.id, draft: offers.draft })
      .from(offers)
      .where(and(eq(offers.productId, offer.productId), isNull(offers.retiredAt), eq(offers.isTestPurchase, false)))
      .orderBy(asc(offers.position)),
    offeredMethods(services, mode),
    countSales(db, id),
    countHolders(db, id, mode),
    publishedOf(db, 'offer', [id]),
    coursesToHold(db),
  ])
  const { slug, draft, live, retiredAt } = course
  return {
    ...offer,
    sold,
    /** Buyers who have the course by this offer, in the mode. */
    holders,
    history: history.get(id) ?? [],
    /** Every course, for an offer that only holders may buy. */
    courses: all,
    known: allPaymentMethods(gateways).map(({ capabilities }) => capabilities),
    place: others.findIndex((other) => other.id === id) + 1,
    places: others.length,
    siblings: others.map((other) => other.id),
    /** The one-time offer of the same course that installments are held against. */
    oneTimeOffer: others.find((other) => other.id !== id && other.draft.terms.kind === 'single')?.draft ?? null,
    otherNames: others.filter((other) => other.id !== id).map((other) => other.draft.name),
    course: {
      id: course.id,
      slug,
      title: draft.title,
      summary: draft.summary,
      coverColor: draft.coverColor,
      isLive: live !== null,
      isRetired: retiredAt !== null,
      lessons: draft.lessons.length,
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

/** Every course that is not retired, and whether it can be bought at present. */
async function coursesToHold(db: Queryable) {
  // Columns are named with their tables: of one table alone they would stand without, and mean those of the inner one.
  const isSold = sql<boolean>`courses.live is not null and exists (
    select from offers o where o.product_id = courses.id and o.on_sale and o.retired_at is null
  )`
  const rows = await db
    .select({ id: courses.id, draft: courses.draft, isSold })
    .from(courses)
    .where(isNull(courses.retiredAt))
    .orderBy(asc(courses.position))
  return rows.map(({ id, draft, isSold: sold }) => ({ id, title: draft.title, isSold: sold }))
}

async function countSales(db: Queryable, offerId: string): Promise<number> {
  return db.$count(orderLines, eq(orderLines.offerId, offerId))
}

export async function createOffer({ db, now }: Services, courseId: string): Promise<{ id: string }> {
  return db.transaction(async (tx) => {
    await getCourse(tx, courseId)
    const [last] = await tx
      .select({ position: max(offers.position) })
      .from(offers)
      .where(and(eq(offers.productId, courseId), eq(offers.isTestPurchase, false)))
    const position = (last?.position ?? -1) + 1
    const blank = newOffer(position === 0 ? 'One payment' : '')
    const { graceDays } = await getSchool(tx)
    const draft = { ...blank, access: { ...blank.access, graceDays } }
    const [row] = await tx
      .insert(offers)
      .values({ productId: courseId, position, draft, draftAt: now(), createdAt: now() })
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
 * Makes the draft of revision `rev` what buyers see and puts it on sale; its course goes live with
 * it where it was not.
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
  await db.transaction(async (tx) => {
    const offer = await holdDraft(tx, 'offer', id, rev)
    if (offer.retiredAt) throw new Problem(409, 'retired', 'This offer is retired.')
    const [course] = await tx.select().from(courses).where(eq(courses.id, offer.productId)).for('update')
    if (!course) throw notFound('course')
    const at = now().toISOString()
    const said =
      describeOffer(school, { id, courses: [{ id: offer.productId }], content: offer.draft }, at)?.priced ?? null
    const { draft, live } = offer
    const ready = { live: true, retired: false, lessons: 1 }
    const obstacles = obstaclesOf(
      {
        draft,
        live,
        said,
        at,
        timeZone: school.timeZone,
        onSale: true,
        course: ready,
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
    if (!course.live) await makeLive(tx, 'course', course, { live: course.draft, at: now(), by })
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
  return db.transaction(async (tx) => {
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

export async function reorderOffers({ db }: Services, courseId: string, ids: string[]): Promise<void> {
  await db.transaction(async (tx) => {
    const known = await tx
      .select({ id: offers.id })
      .from(offers)
      .where(and(eq(offers.productId, courseId), inArray(offers.id, ids)))
    if (known.length !== ids.length) throw notFound('offer')
    for (const [position, id] of ids.entries()) await tx.update(offers).set({ position }).where(eq(offers.id, id))
  })
}
