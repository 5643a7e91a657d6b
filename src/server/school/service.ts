import { and, eq } from 'drizzle-orm'
import * as v from 'valibot'
import { dayIn, isTimeZone, parseInstant } from '../../core/calendar/instant.ts'
import { rescaleBundle, rescaleContent, rescaleCoupon } from '../../core/content/rescale.ts'
import type { Look } from '../../core/look/look.ts'
import { readable } from '../../core/look/readable.ts'
import { isCurrency } from '../../core/money/currency.ts'
import { REFUSED } from '../../core/words/en/refused.ts'
import { type Queryable, type Transaction, transaction } from '../db/client.ts'
import { compiled } from '../db/compiled.ts'
import type { Mode } from '../db/schema/columns.ts'
import { bundles, coupons, offers, orders, productCourses, school } from '../db/schema/index.ts'
import { forgetComparing, makeLive, saveDraft } from '../drafts/drafts.ts'
import { fieldProblem, Problem } from '../http/problem.ts'
import type { Services, WithDatabase } from '../platform/context.ts'

export type School = typeof school.$inferSelect

export const emailSchema = v.pipe(
  v.string(),
  v.trim(),
  v.toLowerCase(),
  v.email(REFUSED.email),
  v.maxLength(254, REFUSED.emailLong),
)

export const nameSchema = v.pipe(
  v.string(),
  v.trim(),
  v.nonEmpty('Write a name.'),
  v.maxLength(100, 'Use at most 100 characters.'),
)

/** Languages whose way of writing money, with digits 0 to 9, is offered. */
const LANGUAGES = [
  'en',
  'en-GB',
  'en-US',
  'de-AT',
  'de-DE',
  'de-CH',
  'fr-FR',
  'es-ES',
  'it-IT',
  'nl-NL',
  'pl-PL',
  'sv-SE',
  'ja-JP',
] as const

/** What a school is set up with, once and later. */
export const schoolSchema = v.object({
  name: nameSchema,
  currency: v.pipe(v.string(), v.check(isCurrency, 'Choose a currency.')),
  language: v.picklist(LANGUAGES, 'Choose how money is written.'),
  leaveOutZeros: v.optional(v.boolean(), false),
  timeZone: v.pipe(v.string(), v.check(isTimeZone, 'Choose a time zone.')),
  country: v.pipe(v.string(), v.regex(/^[A-Z]{2}$/, 'Choose a country.')),
  taxMode: v.picklist(['none', 'inclusive', 'exclusive']),
  taxRate: v.pipe(
    v.number('Write the rate in figures.'),
    v.integer('The rate has at most two decimals.'),
    v.minValue(0, 'A rate is not below 0.'),
    v.maxValue(10_000, 'A rate is at most 100 %.'),
  ),
})

/** What transactions have read of the school: within one it does not change, but by {@link changeSchool}, which reads it no more. */
const readBy = new WeakMap<Queryable, Promise<School | null>>()

const readSchool = compiled()((db) => db.select().from(school))

/** The school, or null before it was set up; read once in a transaction. */
export function findSchool(db: Queryable): Promise<School | null> {
  // The database itself lives as long as the process, and the school is changed meanwhile.
  const isTransaction = !('$client' in db)
  const known = isTransaction ? readBy.get(db) : undefined
  if (known) return known
  const read = readSchool(db, {}).then(([row]) => row ?? null)
  if (isTransaction) readBy.set(db, read)
  return read
}

/** @throws Problem 409 before the school was set up. */
export async function getSchool(db: Queryable): Promise<School> {
  const found = await findSchool(db)
  if (!found) throw new Problem(409, 'not-set-up', 'The school is not set up yet.')
  return found
}

/** The school, and why its currency can no longer change: how many orders were paid live in it. */
export async function openSchool({ db }: Services) {
  const [found, paidLive] = await Promise.all([getSchool(db), countPaidLive(db)])
  return { school: found, paidLive }
}

async function countPaidLive(db: Queryable): Promise<number> {
  return db.$count(orders, and(eq(orders.mode, 'live'), eq(orders.state, 'paid')))
}

/**
 * Changes what the school was set up with. In another currency every price keeps its figure.
 * @throws Problem 409 at `/currency` once something was sold live.
 */
export async function changeSchool({ db, now }: Services, wanted: v.InferOutput<typeof schoolSchema>): Promise<void> {
  await transaction(db, (tx) => applySchool(tx, wanted, now()))
}

/** The same in the caller's transaction. @throws Problem 409 before the school was set up, or at `/currency`. */
export async function applySchool(
  tx: Transaction,
  wanted: Partial<School> & { currency: string },
  at: Date,
): Promise<void> {
  const [current] = await tx.select().from(school).for('update')
  if (!current) throw new Problem(409, 'not-set-up', 'The school is not set up yet.')
  if (wanted.currency !== current.currency) {
    const sold = await countPaidLive(tx)
    if (sold > 0) throw fieldProblem('/currency', currencyLocked(sold, current.currency), 409)
    await rescalePrices(tx, current.currency, wanted.currency, at)
  }
  await tx.update(school).set(wanted)
  readBy.delete(tx)
}

function currencyLocked(sold: number, currency: string): string {
  return `${sold} ${sold === 1 ? 'order was' : 'orders were'} paid live in ${currency}. Books in two currencies cannot be added up, so it stays.`
}

/** What is live is published anew: earlier prices were in another currency, and say nothing about this one. */
async function rescalePrices(tx: Transaction, from: string, to: string, at: Date) {
  await forgetComparing(tx, 'offer')
  for (const { id, draftRev, draft, live, liveVersion } of await tx.select().from(offers)) {
    await saveDraft(tx, 'offer', id, { baseRev: draftRev, draft: rescaleContent(draft, from, to), at })
    if (live) await makeLive(tx, 'offer', { id, liveVersion }, { live: rescaleContent(live, from, to), at, by: null })
  }
  for (const { id, draftRev, draft, live, liveVersion } of await tx.select().from(bundles)) {
    await saveDraft(tx, 'bundle', id, { baseRev: draftRev, draft: rescaleBundle(draft, from, to), at })
    if (!live) continue
    const rescaled = rescaleBundle(live, from, to)
    await makeLive(tx, 'bundle', { id, liveVersion }, { live: rescaled, at, by: null })
    for (const { id: courseId, figure } of rescaled.courses) {
      await tx
        .update(productCourses)
        .set({ weight: figure ?? 0 })
        .where(and(eq(productCourses.productId, id), eq(productCourses.courseId, courseId)))
    }
  }
  for (const { id, draftRev, draft, live, liveVersion } of await tx.select().from(coupons)) {
    await saveDraft(tx, 'coupon', id, { baseRev: draftRev, draft: rescaleCoupon(draft, from, to), at })
    if (live) await makeLive(tx, 'coupon', { id, liveVersion }, { live: rescaleCoupon(live, from, to), at, by: null })
  }
}

export const graceSchema = v.pipe(
  v.number('Write days as a figure.'),
  v.integer('Write whole days.'),
  v.minValue(0, 'Grace is not below 0.'),
  v.maxValue(90, 'Grace is at most 90 days.'),
)

/** The days of grace that a new offer begins with; those there are keep theirs. */
export async function setGrace({ db }: Services, graceDays: number): Promise<void> {
  await db.update(school).set({ graceDays })
}

/** How the shop looks from now on; a colour on which text could not be read becomes the nearest on which it can. */
export async function setLook({ db }: Services, look: Look): Promise<Look> {
  const color = look.color === null ? null : readable(look.color).color
  const set = { ...look, color }
  await db.update(school).set({ look: set })
  return set
}

const noticeDays = v.pipe(
  v.number('Write days as a figure.'),
  v.integer('Write whole days.'),
  v.minValue(0, 'Days are not below 0.'),
  v.maxValue(60, 'A notice comes at most 60 days before.'),
)

/** How mail goes out, and how much of it. */
export const mailSchema = v.object({
  senderName: v.pipe(v.string(), v.trim(), v.maxLength(100, 'Use at most 100 characters.')),
  replyTo: v.union([v.pipe(v.string(), v.trim(), v.literal('')), emailSchema], 'Write an email address, or nothing.'),
  saleNotices: v.picklist(['each', 'daily', 'off']),
  renewalNoticeDays: noticeDays,
  /** Files of before it was there have what a new school has. */
  endNoticeDays: v.optional(noticeDays, 7),
})

/** Sets from whom mail comes, and what of sales and renewals is told. */
export async function setMail({ db }: Services, mail: v.InferOutput<typeof mailSchema>): Promise<void> {
  await db.update(school).set(mail)
}

export const keepYearsSchema = v.pipe(
  v.number('Write years as a figure.'),
  v.integer('Write whole years.'),
  v.minValue(0, 'Years are not below 0.'),
  v.maxValue(30, 'Books are kept for at most 30 years.'),
)

/** For how many years the books keep what a person bought, where their data is deleted. */
export async function setKeepYears({ db }: Services, keepYears: number): Promise<void> {
  await db.update(school).set({ keepYears })
}

export const termsSchema = v.pipe(v.string(), v.trim(), v.maxLength(40_000, 'Use at most 40,000 characters.'))

/** The terms of sale; empty: none. */
export async function setTerms({ db }: Services, terms: string): Promise<void> {
  await db.update(school).set({ terms })
}

/** The mode in which strangers buy from now on. */
export async function setShopMode({ db }: Services, shopMode: Mode): Promise<void> {
  await db.update(school).set({ shopMode })
}

/** Today's date in the school's zone. */
export async function schoolDay({ db, now }: Pick<WithDatabase, 'db' | 'now'>): Promise<string> {
  return dayFor(await getSchool(db), now())
}

/** The date of a moment in the school's zone. */
export function dayFor({ timeZone }: Pick<School, 'timeZone'>, at: Date): string {
  const instant = parseInstant(at.toISOString())
  if (!instant) throw new RangeError('The clock stands outside the years 2000 to 2999.')
  return dayIn(timeZone, instant)
}
