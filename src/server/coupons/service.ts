import { and, asc, desc, eq, inArray, isNull, ne, sql } from 'drizzle-orm'
import { type CouponContent, couponProblems, formatTaken, newCoupon } from '../../core/content/coupon.ts'
import { isSame } from '../../core/content/isSame.ts'
import { codeKey } from '../../core/quote/codes.ts'
import { type Queryable, type Transaction, transaction } from '../db/client.ts'
import type { Mode } from '../db/schema/columns.ts'
import { catalogue, checkoutPages, codes, codeUses, coupons, offers, orders } from '../db/schema/index.ts'
import { findDrafted, holdDraft, makeLive, saveDraft } from '../drafts/drafts.ts'
import { offeredMethods } from '../gateways/service.ts'
import { fieldProblem, Problem } from '../http/problem.ts'
import type { Services } from '../platform/context.ts'
import { lastGap } from '../platform/restored.ts'
import { getSchool } from '../school/service.ts'

export type Coupon = typeof coupons.$inferSelect

/** Uses of a coupon in a mode that count: reserved by an unpaid order, or made. */
const usesIn = (mode: Mode) => sql<number>`(select count(*) from ${codeUses} u
  where u.coupon_id = coupons.id and u.mode = ${mode} and u.state <> 'released')::int`

/** Every coupon, the newest first, as the shelf shows it. */
export async function listCoupons({ db }: Services, mode: Mode) {
  const rows = await db
    .select({
      id: coupons.id,
      draft: coupons.draft,
      live: coupons.live,
      endedAt: coupons.endedAt,
      retiredAt: coupons.retiredAt,
      uses: usesIn(mode),
    })
    .from(coupons)
    .orderBy(desc(coupons.createdAt), asc(coupons.id))
  return rows.map((coupon) => ({ ...coupon, isChanged: coupon.live !== null && !isSame(coupon.live, coupon.draft) }))
}

/** @throws Problem 404. */
const getCoupon = (db: Queryable, id: string): Promise<Coupon> => findDrafted(db, 'coupon', id)

/** One coupon as the bench shows it: with every offer on sale that it may be for, and what it brought in the mode. */
export async function openCoupon(services: Services, id: string, mode: Mode) {
  const { db } = services
  const coupon = await getCoupon(db, id)
  const [onSale, brought, methods, uses, taken] = await Promise.all([
    offersOnSale(db),
    broughtBy(db, id, mode),
    offeredMethods(services, mode),
    db.$count(codeUses, eq(codeUses.couponId, id)),
    db
      .select({ key: codes.key })
      .from(codes)
      .where(and(ne(codes.couponId, id), isNull(codes.freedAt))),
  ])
  return {
    ...coupon,
    offers: onSale,
    brought,
    /** Where a restore lost orders after it was published, and its uses are limited: the time of which they are not known. */
    gap: await unknownUses(services, coupon),
    /** Published checkout pages that apply one of its codes by themselves. */
    pages: await pagesApplying(db, id),
    paymentMethods: methods.map(({ capabilities }) => capabilities),
    /** An order was placed with it, in whichever mode. */
    wasUsed: uses > 0,
    /** Words that other coupons have, as they are compared. */
    taken: taken.map(({ key }) => key),
  }
}

/** A restore is spoken of for so long. */
const GAP_DAYS = 90

async function unknownUses({ db, now }: Services, { live, createdAt }: Coupon) {
  const isLimited = live !== null && (live.limit !== null || live.limitPerBuyer !== null || live.isSet)
  const gap = isLimited ? await lastGap(db) : null
  const isRecent = gap !== null && gap.until.getTime() > now().getTime() - GAP_DAYS * 86_400_000
  return isRecent && createdAt < gap.until ? gap : null
}

/** Checkout pages whose own code is one of a coupon. */
async function pagesApplying(db: Queryable, couponId: string): Promise<{ id: string; name: string }[]> {
  const rows = await db
    .select({ id: checkoutPages.id, live: checkoutPages.live, title: sql<string>`${catalogue.draft}->>'title'` })
    .from(checkoutPages)
    .innerJoin(catalogue, eq(catalogue.id, checkoutPages.productId))
    .where(and(isNull(checkoutPages.retiredAt), sql`${checkoutPages.live}->>'code' <> ''`))
    .orderBy(checkoutPages.createdAt)
  const keys = rows.flatMap(({ live }) => (live ? [codeKey(live.code)] : []))
  if (keys.length === 0) return []
  const own = await db
    .select({ key: codes.key })
    .from(codes)
    .where(and(eq(codes.couponId, couponId), isNull(codes.freedAt), inArray(codes.key, keys)))
  return rows.flatMap(({ id, live, title }) =>
    live && own.some(({ key }) => key === codeKey(live.code)) ? [{ id, name: live.name || title }] : [],
  )
}

/** Offers that buyers see, in the order of the shop. */
async function offersOnSale(db: Queryable) {
  const rows = await db
    .select({
      id: offers.id,
      productId: offers.productId,
      live: offers.live,
      slug: catalogue.slug,
      product: catalogue.live,
    })
    .from(offers)
    .innerJoin(catalogue, eq(catalogue.id, offers.productId))
    .where(
      and(
        eq(offers.onSale, true),
        isNull(offers.retiredAt),
        isNull(catalogue.retiredAt),
        eq(offers.isTestPurchase, false),
      ),
    )
    .orderBy(
      desc(catalogue.kind),
      asc(catalogue.position),
      asc(catalogue.createdAt),
      asc(offers.position),
      asc(offers.createdAt),
    )
  return rows.flatMap(({ id, productId, slug, live, product }) =>
    live && product ? [{ id, productId, slug, content: live, title: product.title }] : [],
  )
}

/** What was received for the lines of an order that a code touched, less refunds. */
const receivedFor = sql`(select coalesce(sum(p.pay) filter (where p.state = 'collected'), 0)
    - coalesce((select sum(r.amount) from refunds r where r.state = 'refunded' and r.line_id = any(array_agg(p.line_id))), 0)
  from payments p where p.order_id = ${orders.id}
    and p.line_id in (select t.line_id from payments t where t.order_id = ${orders.id} and t.discount > 0))`

/**
 * What a use took off payments that were received: of an order with several codes its part, by what each saves of all
 * payments.
 */
const takenOff = sql`(select floor(coalesce(sum(p.discount), 0) * ${codeUses.saves}
    / greatest(1, (select sum(u.saves) from code_uses u where u.order_id = ${orders.id} and u.state = 'used')))
  from payments p where p.order_id = ${orders.id} and p.state = 'collected')`

/** The same of an order that followed: it has no use of its own, and says in its quote what each code saves. */
const takenOffAfter = sql`(select floor(coalesce(sum(p.discount), 0) * (c.said ->> 'saves')::numeric
    / greatest(1, (select sum((e ->> 'saves')::numeric) from jsonb_array_elements(${orders.quote} -> 'codes') e
      where (e ->> 'counts')::boolean)))
  from payments p where p.order_id = ${orders.id} and p.state = 'collected')`

/** So many days are listed, the newest. */
const MAX_DAYS = 60

/**
 * What a coupon brought: its uses by paid orders, what those took off payments that were received, and what was received
 * for the lines that it touched, less refunds (selling rules, section 3); in all, and by the day on which they were
 * ordered. Minor units.
 */
async function broughtBy(db: Queryable, couponId: string, mode: Mode) {
  const { timeZone } = await getSchool(db)
  const of = and(eq(codeUses.couponId, couponId), eq(codeUses.mode, mode))
  const day = sql<string>`(${orders.createdAt} at time zone ${timeZone})::date::text`
  const byDay = db
    .select({
      day: day.as('day'),
      orders: sql<number>`count(*)::int`,
      saves: sql<number>`coalesce(sum(${takenOff}), 0)::float8`,
      received: sql<number>`coalesce(sum(${receivedFor}), 0)::float8`,
    })
    .from(codeUses)
    .innerJoin(orders, eq(orders.id, codeUses.orderId))
    .where(and(of, eq(codeUses.state, 'used')))
    .groupBy(sql`1`)
    .orderBy(sql`1 desc`)
    .limit(MAX_DAYS)
  // Upsells to which the code went on, within the use of the order before them.
  const after = db
    .select({
      day: day.as('day'),
      orders: sql<number>`0`,
      saves: sql<number>`coalesce(sum(${takenOffAfter}), 0)::float8`,
      received: sql<number>`coalesce(sum(${receivedFor}), 0)::float8`,
    })
    .from(codeUses)
    .innerJoin(codes, eq(codes.id, codeUses.codeId))
    .innerJoin(orders, eq(orders.followsId, codeUses.orderId))
    .crossJoin(sql`lateral jsonb_array_elements(${orders.quote} -> 'codes') c(said)`)
    .where(
      and(
        of,
        eq(codeUses.state, 'used'),
        eq(orders.state, 'paid'),
        sql`c.said ->> 'code' = ${codes.code} and (c.said ->> 'counts')::boolean`,
      ),
    )
    .groupBy(sql`1`)
  const [made, waiting, days, upsold] = await Promise.all([
    db
      .select({
        orders: sql<number>`count(*)::int`,
        buyers: sql<number>`count(distinct ${orders.personId})::int`,
        saves: sql<number>`coalesce(sum(${takenOff}), 0)::float8`,
        received: sql<number>`coalesce(sum(${receivedFor}), 0)::float8`,
      })
      .from(codeUses)
      .innerJoin(orders, eq(orders.id, codeUses.orderId))
      .where(and(of, eq(codeUses.state, 'used'))),
    db.$count(codeUses, and(of, eq(codeUses.state, 'reserved'))),
    byDay,
    after,
  ])
  const all = made[0] ?? { orders: 0, buyers: 0, saves: 0, received: 0 }
  const sum = (of: 'saves' | 'received') => upsold.reduce((total, one) => total + one[of], all[of])
  return { ...all, saves: sum('saves'), received: sum('received'), waiting, days: addDays(days, upsold) }
}

interface BroughtDay {
  day: string
  orders: number
  saves: number
  received: number
}

/** Days with what upsells brought on them, the newest first. */
function addDays(days: readonly BroughtDay[], upsold: readonly BroughtDay[]): BroughtDay[] {
  const found = new Map(days.map((one) => [one.day, one]))
  for (const { day, saves, received } of upsold) {
    const of = found.get(day) ?? { day, orders: 0, saves: 0, received: 0 }
    found.set(day, { ...of, saves: of.saves + saves, received: of.received + received })
  }
  return [...found.values()].sort((a, b) => (a.day < b.day ? 1 : -1)).slice(0, MAX_DAYS)
}

/** @param appliesTo what it is for; null: everything. */
export async function createCoupon(
  { db, now }: Services,
  appliesTo: CouponContent['appliesTo'] = null,
): Promise<{ id: string }> {
  return insertCoupon(db, { ...newCoupon(), appliesTo }, now())
}

async function insertCoupon(db: Queryable, draft: CouponContent, at: Date): Promise<{ id: string }> {
  const [row] = await db.insert(coupons).values({ draft, draftAt: at, createdAt: at }).returning({ id: coupons.id })
  return { id: row?.id as string }
}

/** @throws Problem 409 `changed-elsewhere` where `baseRev` is old. */
export function saveCouponDraft(
  { db, now }: Services,
  id: string,
  baseRev: number,
  draft: CouponContent,
): Promise<Coupon> {
  return saveDraft(db, 'coupon', id, { baseRev, draft, at: now() })
}

/**
 * Makes the draft of revision `rev` what its code does from now on; orders that were placed keep what they were promised.
 * A coupon that was ended begins again.
 * @throws Problem 409 where it was changed meanwhile, 422 at the field where something is missing, or its word is taken.
 */
export async function publishCoupon({ db, now }: Services, id: string, rev: number, by: string | null): Promise<void> {
  await transaction(db, async (tx) => {
    const coupon = await holdDraft(tx, 'coupon', id, rev)
    if (coupon.retiredAt) throw new Problem(409, 'retired', 'This coupon is retired.')
    const problems = couponProblems(coupon.draft, now().toISOString())
    if (problems.length > 0) {
      throw new Problem(422, 'not-ready', 'Something is missing before this can be published.', problems)
    }
    if (coupon.live && coupon.live.isSet !== coupon.draft.isSet) {
      throw fieldProblem('/isSet', 'A coupon that was published stays a word, or a set of codes.')
    }
    if (!coupon.draft.isSet) await takeWord(tx, id, coupon.draft.code, now())
    await makeLive(tx, 'coupon', coupon, { live: coupon.draft, at: now(), by, also: { endedAt: null } })
  })
}

/** Gives a coupon its word, and frees the one that it had. @throws Problem 422 at `/code` where another coupon has it. */
async function takeWord(tx: Transaction, couponId: string, code: string, at: Date): Promise<void> {
  const key = codeKey(code)
  await tx
    .update(codes)
    .set({ freedAt: at })
    .where(and(eq(codes.couponId, couponId), isNull(codes.freedAt), ne(codes.key, key)))
  const [taken] = await tx
    .insert(codes)
    .values({ couponId, code, key, createdAt: at })
    .onConflictDoUpdate({
      target: codes.key,
      targetWhere: isNull(codes.freedAt),
      set: { code },
      setWhere: eq(codes.couponId, couponId),
    })
    .returning({ id: codes.id })
  if (!taken) throw fieldProblem('/code', formatTaken(code))
}

/** Ends a coupon now: its code stays its own, and says that it ended. */
export async function endCoupon({ db, now }: Services, id: string): Promise<void> {
  const coupon = await getCoupon(db, id)
  if (!coupon.live || coupon.retiredAt) throw new Problem(409, 'not-live', 'Only a published coupon can be ended.')
  await db.update(coupons).set({ endedAt: now() }).where(eq(coupons.id, id))
}

/**
 * Retires a coupon, and frees its word for another; or brings it back as a draft, to be published again. What was
 * ordered with it stays as it is.
 */
export async function setCouponRetired({ db, now }: Services, id: string, isRetired: boolean): Promise<void> {
  await transaction(db, async (tx) => {
    const coupon = await getCoupon(tx, id)
    const at = now()
    await tx
      .update(coupons)
      .set(isRetired ? { retiredAt: at } : { retiredAt: null, endedAt: coupon.live ? at : null })
      .where(eq(coupons.id, id))
    if (isRetired) {
      await tx
        .update(codes)
        .set({ freedAt: at })
        .where(and(eq(codes.couponId, id), isNull(codes.freedAt)))
    }
  })
}

/** A copy as a draft, without its word. */
export async function duplicateCoupon({ db, now }: Services, id: string): Promise<{ id: string }> {
  const { draft } = await getCoupon(db, id)
  return insertCoupon(db, { ...draft, code: draft.isSet ? draft.code : '' }, now())
}

/** @throws Problem 409 where an order was placed with it: those are retired, never deleted. */
export async function deleteCoupon({ db }: Services, id: string): Promise<void> {
  await getCoupon(db, id)
  if ((await db.$count(codeUses, eq(codeUses.couponId, id))) > 0) {
    throw new Problem(409, 'was-used', 'This coupon was used. Retire it instead.')
  }
  await db.delete(coupons).where(eq(coupons.id, id))
}
