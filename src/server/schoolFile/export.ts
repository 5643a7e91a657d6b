import { asc, eq, inArray, isNull } from 'drizzle-orm'
import { EVERYDAY_PAGE } from '../../core/content/checkoutPage.ts'
import type { Queryable } from '../db/client.ts'
import {
  awaitedVideos,
  bundles,
  checkoutPages,
  codes,
  coupons,
  courses,
  files,
  fronts,
  offers,
  pageAddresses,
  pictures,
  videos,
} from '../db/schema/index.ts'
import { wholePicture } from '../media/pictures.ts'
import { getSchool } from '../school/service.ts'
import { FORMAT, type SchoolFile, VERSION, writeSorted } from './format.ts'
import { PICTURE_FIELDS } from './references.ts'

/**
 * The school as its file has it: settings, courses, bundles, offers, pages, coupons with their codes, the shop's front,
 * and the pictures that any of them shows. No buyers, orders, keys or passwords.
 * @throws Problem 409 before the school was set up.
 */
export async function exportSchool(db: Queryable): Promise<SchoolFile> {
  const [school, allCourses, allBundles, allOffers, allPages, allCoupons, allCodes, [front], addresses] =
    await Promise.all([
      getSchool(db),
      db.select().from(courses).orderBy(asc(courses.position), asc(courses.createdAt), asc(courses.id)),
      db.select().from(bundles).orderBy(asc(bundles.position), asc(bundles.createdAt), asc(bundles.id)),
      db
        .select()
        .from(offers)
        .where(eq(offers.isTestPurchase, false))
        .orderBy(asc(offers.position), asc(offers.createdAt), asc(offers.id)),
      db.select().from(checkoutPages).orderBy(asc(checkoutPages.slug)),
      db.select().from(coupons).orderBy(asc(coupons.id)),
      db.select().from(codes).where(isNull(codes.freedAt)).orderBy(asc(codes.key)),
      db.select().from(fronts),
      db.select().from(pageAddresses).orderBy(asc(pageAddresses.slug)),
    ])
  const offersOf = (productId: string): SchoolFile['courses'][number]['offers'] =>
    allOffers
      .filter((offer) => offer.productId === productId)
      .map(({ id, draft, live, onSale, retiredAt }) => ({ id, draft, live, onSale, isRetired: retiredAt !== null }))
  const contents = {
    courses: allCourses.map(({ id, slug, draft, live, retiredAt }) => ({
      id,
      slug,
      draft,
      live,
      isRetired: retiredAt !== null,
      offers: offersOf(id),
    })),
    bundles: allBundles.map(({ id, slug, draft, live, retiredAt }) => ({
      id,
      slug,
      draft,
      live,
      isRetired: retiredAt !== null,
      offers: offersOf(id),
    })),
    pages: allPages.flatMap(({ id, productId, slug, isEveryday, isMain, retiredAt, draft, live }) =>
      productId === null
        ? []
        : [
            {
              ...{ id, product: productId, slug, isEveryday, isMain, isRetired: retiredAt !== null },
              before: addresses.filter(({ pageId }) => pageId === id).map((before) => before.slug),
              ...{ draft, live },
            },
          ],
    ),
    basketPage: basketPageIn(allPages),
  }
  const shown = [...picturesIn([contents, school.look])]
  const storedPictures = shown.length > 0 ? await db.select().from(pictures).where(inArray(pictures.id, shown)) : []
  const written: SchoolFile['pictures'] = []
  // One after the other: each is in memory whole.
  for (const { id } of storedPictures) written.push({ id, data: (await wholePicture(db, id)).toString('base64') })
  return {
    format: FORMAT,
    version: VERSION,
    school: settingsOf(school),
    pictures: written.sort((a, b) => (a.id < b.id ? -1 : 1)),
    videos: await videosIn(db, contents.pages),
    ...contents,
    coupons: allCoupons.map(({ id, draft, live, endedAt, retiredAt }) => ({
      id,
      draft,
      live,
      endedAt: endedAt?.toISOString() ?? null,
      isRetired: retiredAt !== null,
      codes: live?.isSet
        ? allCodes
            .filter((code) => code.couponId === id)
            .map(({ code, withdrawnAt }) => ({ code, isWithdrawn: withdrawnAt !== null }))
        : [],
    })),
    front: front ? { draft: front.draft, live: front.live } : null,
  }
}

/** The videos of pages, as they are named. */
async function videosIn(db: Queryable, pages: SchoolFile['pages']): Promise<SchoolFile['videos']> {
  const parts = pages.flatMap(({ draft, live }) => [...draft.parts, ...(live?.parts ?? [])])
  const ids = [...new Set(parts.flatMap((part) => (part.kind === 'video' ? (part.videoId ?? []) : [])))]
  if (ids.length === 0) return []
  const here = await db
    .select({ id: videos.id, checksum: files.checksum, type: files.type, length: files.length })
    .from(videos)
    .innerJoin(files, eq(files.id, videos.fileId))
    .where(inArray(videos.id, ids))
  const { id, checksum, type, length } = awaitedVideos
  const awaited = await db.select({ id, checksum, type, length }).from(awaitedVideos).where(inArray(id, ids))
  return [...here, ...awaited].sort((a, b) => (a.id < b.id ? -1 : 1)) as SchoolFile['videos']
}

/** The page of the basket; null where nobody has shaped it. */
function basketPageIn(all: readonly (typeof checkoutPages.$inferSelect)[]): SchoolFile['basketPage'] {
  const page = all.find(({ productId }) => productId === null)
  const plain = writeSorted(EVERYDAY_PAGE)
  const isShaped = page && [page.draft, page.live].some((content) => writeSorted(content) !== plain)
  return isShaped ? { draft: page.draft, live: page.live } : null
}

/** What of the school's row stands in its file. */
export function settingsOf(school: Awaited<ReturnType<typeof getSchool>>): SchoolFile['school'] {
  const { name, currency, language, leaveOutZeros, timeZone, country, taxMode, taxRate } = school
  const { retryAfterDays, graceDays, notifications, senderName, replyTo, saleNotices } = school
  const { renewalNoticeDays, endNoticeDays } = school
  return {
    name,
    currency,
    // The column holds any; only these were ever taken.
    language: language as SchoolFile['school']['language'],
    leaveOutZeros,
    timeZone,
    country,
    taxMode,
    taxRate,
    retryAfterDays,
    graceDays,
    look: school.look,
    notifications,
    senderName,
    replyTo,
    saleNotices,
    renewalNoticeDays,
    endNoticeDays,
    keepYears: school.keepYears,
    terms: school.terms,
  }
}

/** The ids of all pictures that something shows: whatever is called by one of their names, at any depth. */
function picturesIn(value: unknown, found = new Set<string>()): Set<string> {
  if (Array.isArray(value)) for (const entry of value) picturesIn(entry, found)
  else if (typeof value === 'object' && value !== null) {
    for (const [key, entry] of Object.entries(value)) {
      if (PICTURE_FIELDS.has(key) && typeof entry === 'string') found.add(entry)
      else picturesIn(entry, found)
    }
  }
  return found
}
