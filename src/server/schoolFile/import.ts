import { and, eq, inArray, isNotNull, isNull, ne, sql } from 'drizzle-orm'
import * as v from 'valibot'
import type { PageContent } from '../../core/content/checkoutPage.ts'
import { codeKey } from '../../core/quote/codes.ts'
import { allCourses, changeCourses, followShelf } from '../catalogue/growth.ts'
import { leadTo, makeEverydayPage } from '../catalogue/pages.ts'
import { cleanRichText } from '../catalogue/richText.ts'
import { cleanPage } from '../checkoutPages/bench.ts'
import type { Transaction } from '../db/client.ts'
import {
  agreements,
  awaitedVideos,
  bundles,
  catalogue,
  checkoutPages,
  codes,
  coupons,
  courses,
  files,
  fronts,
  offers,
  pageAddresses,
  pictureSizes,
  pictures,
  productCourses,
  products,
  school,
  videos,
} from '../db/schema/index.ts'
import { type Content, type Drafted, findDrafted, makeLive, type Subject, saveDraft } from '../drafts/drafts.ts'
import { Problem } from '../http/problem.ts'
import { checksumOf, encodePicture, storeSizes, wholePicture } from '../media/pictures.ts'
import { inTransaction, type Services, type Within } from '../platform/context.ts'
import { applySchool, findSchool } from '../school/service.ts'
import { settingsOf } from './export.ts'
import { MAX_FILE_BYTES, type SchoolFile, schoolFileSchema, writeSorted } from './format.ts'
import { checkReferences, FileError } from './references.ts'

/** One import at a time. */
const IMPORTING = 7311

/**
 * Takes a school's file into a database, empty or used: adds and updates by id, never deletes, all or nothing. What is
 * the same stays as it is, and makes no new version.
 * @param text the file, JSON of the format (docs/school-file.md).
 * @throws FileError with the pointer of what is wrong; nothing is changed then.
 */
export async function importSchool(services: Services, text: string): Promise<void> {
  const file = readFile(text)
  try {
    await inTransaction(services, (within) => take(within, file))
  } catch (error) {
    throw error instanceof Problem ? asFileError(error) : error
  }
}

/** @throws FileError where it is no JSON, of another format or version, or has a field that does not belong there. */
export function readFile(text: string): SchoolFile {
  if (Buffer.byteLength(text) > MAX_FILE_BYTES) throw new FileError('', 'The file is larger than 64 MB.')
  let document: unknown
  try {
    document = JSON.parse(text.replace(/^\uFEFF/, ''))
  } catch (error) {
    throw new FileError('', `This is no JSON: ${(error as Error).message}.`)
  }
  const read = v.safeParse(schoolFileSchema, document, { abortEarly: true })
  if (read.success) return read.output
  const [issue] = read.issues
  const path = (issue.path ?? []).map(({ key }) => String(key).replaceAll('~', '~0').replaceAll('/', '~1'))
  const isUnknown = issue.type === 'strict_object' && issue.expected === 'never'
  const isMissing = issue.received === 'undefined'
  const why = isUnknown ? 'There is no such field.' : isMissing ? 'This is missing.' : formatIssue(issue)
  throw new FileError(path.map((part) => `/${part}`).join(''), why)
}

/** What a field must be, where its schema has no words of its own for that. */
const KINDS: Record<string, string> = {
  Array: 'a list',
  Object: 'an object',
  string: 'text',
  number: 'a number',
  boolean: 'true or false',
}

function formatIssue({ message, expected }: v.BaseIssue<unknown>): string {
  if (!message.startsWith('Invalid ')) return message
  const kind = KINDS[expected ?? '']
  return kind ? `This must be ${kind}.` : `This must be one of: ${expected}.`
}

/** A service's refusal, said of the file as a whole where it names no field of it. */
function asFileError(problem: Problem): FileError {
  const [first] = problem.errors
  return new FileError('', first?.why ?? problem.message)
}

async function take(within: Within, file: SchoolFile): Promise<void> {
  const { db: tx } = within
  await tx.execute(sql`select pg_advisory_xact_lock(${IMPORTING})`)
  await checkAgainst(tx, file)
  await takeSchool(within, file.school)
  for (const [index, picture] of file.pictures.entries()) await takePicture(within, picture, `/pictures/${index}`)
  for (const video of file.videos) await takeVideo(within, video)
  await takeProducts(within, file)
  await takeOffers(within, file)
  await takePages(within, file)
  await takeBundled(within, file)
  for (const [index, coupon] of file.coupons.entries()) await takeCoupon(within, coupon, `/coupons/${index}`)
  if (file.front) await takeFront(within, file.front)
}

/** Ids of another kind, addresses of others, and references: held against what is there. */
async function checkAgainst(tx: Transaction, file: SchoolFile): Promise<void> {
  const [known, knownOffers, knownPictures, knownPages] = await Promise.all([
    tx
      .select({ id: catalogue.id, kind: catalogue.kind, slug: catalogue.slug, first: products.bookName })
      .from(catalogue)
      .innerJoin(products, eq(products.id, catalogue.id)),
    tx.select({ id: offers.id, productId: offers.productId }).from(offers),
    tx.select({ id: pictures.id }).from(pictures),
    tx
      .select({
        id: checkoutPages.id,
        productId: checkoutPages.productId,
        slug: checkoutPages.slug,
        isEveryday: checkoutPages.isEveryday,
      })
      .from(checkoutPages),
  ])
  const idsOf = (kind: 'course' | 'bundle') => new Set(known.flatMap((one) => (one.kind === kind ? [one.id] : [])))
  checkReferences(file, {
    courses: idsOf('course'),
    bundles: idsOf('bundle'),
    offers: new Set(knownOffers.map(({ id }) => id)),
    pictures: new Set(knownPictures.map(({ id }) => id)),
    pages: new Set(knownPages.map(({ id }) => id)),
  })
  const moved = new Map([...file.courses, ...file.bundles].map(({ id, slug }) => [id, slug]))
  const movedPages = new Map(file.pages.map(({ id, slug }) => [id, slug]))
  for (const [name, kind] of [
    ['courses', 'course'],
    ['bundles', 'bundle'],
  ] as const) {
    for (const [index, product] of file[name].entries()) {
      const at = `/${name}/${index}`
      if (known.some(({ id, kind: is }) => id === product.id && is !== kind)) {
        throw new FileError(`${at}/id`, 'This id is that of something else.')
      }
      const isTaken = known.some(
        ({ id, slug, first }) =>
          id !== product.id && ((moved.get(id) ?? slug) === product.slug || first === product.slug),
      )
      if (isTaken) throw new FileError(`${at}/slug`, 'Something else has this address.')
      for (const [place, offer] of product.offers.entries()) {
        const there = knownOffers.find(({ id }) => id === offer.id)
        if (there && there.productId !== product.id) {
          throw new FileError(`${at}/offers/${place}/id`, 'This offer belongs to something else.')
        }
      }
    }
  }
  for (const [index, page] of file.pages.entries()) {
    const at = `/pages/${index}`
    for (const there of knownPages) {
      if (there.id === page.id && there.productId !== page.product) {
        throw new FileError(`${at}/product`, 'This page is that of something else.')
      }
      if (there.id === page.id) continue
      if ((movedPages.get(there.id) ?? there.slug) === page.slug) {
        throw new FileError(`${at}/slug`, 'Another page has this address.')
      }
      if (there.productId === page.product && there.isEveryday && page.isEveryday) {
        throw new FileError(`${at}/id`, 'Its course or bundle has a page of its own already, with another id.')
      }
    }
  }
}

async function takeSchool({ db: tx, now }: Within, settings: SchoolFile['school']): Promise<void> {
  const current = await findSchool(tx)
  const wanted = { ...settings, notifications: settings.notifications as NonNullable<typeof current>['notifications'] }
  if (!current) {
    await tx.insert(school).values({ ...wanted, createdAt: now() })
    return applySchool(tx, wanted, now())
  }
  if (isSame(settingsOf(current), settings)) return
  if (!isSame(current.retryAfterDays, settings.retryAfterDays)) {
    const retried = await tx.$count(agreements, and(eq(agreements.state, 'active'), sql`${agreements.tries} > 0`))
    if (retried > 0) {
      const why = 'Payments are being retried by the days that there are. Change them under Setup.'
      throw new FileError('/school/retryAfterDays', why)
    }
  }
  try {
    await applySchool(tx, wanted, now())
  } catch (error) {
    if (error instanceof Problem && error.errors[0]) throw new FileError('/school/currency', error.errors[0].why)
    throw error
  }
}

async function takePicture(
  { db: tx, now }: Within,
  { id, data }: SchoolFile['pictures'][number],
  at: string,
): Promise<void> {
  const bytes = Buffer.from(data, 'base64')
  const checksum = checksumOf(bytes)
  const [known] = await tx.select({ checksum: pictures.checksum }).from(pictures).where(eq(pictures.id, id))
  if (known?.checksum === checksum) return
  if (known && Buffer.compare(await wholePicture(tx, id), bytes) === 0) return
  const encoded = await encodePicture(bytes, { keepsPlain: true }).catch((error: unknown) => {
    throw error instanceof Problem ? new FileError(`${at}/data`, error.errors[0]?.why ?? error.message) : error
  })
  const { width, height, preview } = encoded
  await tx
    .insert(pictures)
    .values({ id, width, height, preview, checksum, createdAt: now() })
    .onConflictDoUpdate({ target: pictures.id, set: { width, height, preview, checksum } })
  await tx.delete(pictureSizes).where(eq(pictureSizes.pictureId, id))
  await storeSizes(tx, id, encoded, now())
}

/** Writes a draft and what is live, where they are others than before; `also` stands beside the draft. */
async function takeContent<S extends Subject>(
  { db: tx, now }: Within,
  subject: S,
  row: Drafted<S>,
  { draft, live }: { draft: Content<S>; live: Content<S> | null },
  at: string,
): Promise<void> {
  if (!isSame(row.draft, draft)) {
    await saveDraft(tx, subject, row.id, { baseRev: row.draftRev, draft, at: now() })
  }
  if (live === null) {
    if (row.live !== null)
      throw new FileError(`${at}/live`, 'This is live already; it can be retired, not made a draft.')
    return
  }
  if (!isSame(row.live, live)) await makeLive(tx, subject, row, { live, at: now(), by: null })
}

const TABLES = { course: courses, bundle: bundles } as const

async function takeProducts(within: Within, file: SchoolFile): Promise<void> {
  const { db: tx, now } = within
  for (const [name, kind] of [
    ['courses', 'course'],
    ['bundles', 'bundle'],
  ] as const) {
    const table = TABLES[kind] as typeof courses
    const known = new Map((await tx.select().from(table)).map((row) => [row.id, row]))
    for (const [position, raw] of file[name].entries()) {
      const product = cleaned(raw)
      const { id, slug, draft, live, isRetired } = product
      const before = known.get(id)
      if (!before) {
        await tx.insert(products).values({ id, kind, bookName: slug, createdAt: now() })
        await tx
          .insert(table)
          .values({ id, slug, position, draft: draft as Content<'course'>, draftAt: now(), createdAt: now() })
        if (kind === 'course')
          await tx.insert(productCourses).values({ productId: id, courseId: id, position: 0, weight: 1 })
      }
      const row = (await findDrafted(tx, kind, id)) as Drafted<'course'>
      const contents = { draft: draft as Content<'course'>, live: live as Content<'course'> | null }
      await takeContent(within, kind, row, contents as never, `/${name}/${position}`)
      const retiredAt = isRetired ? (row.retiredAt ?? now()) : null
      await tx.update(table).set({ slug, position, retiredAt }).where(eq(table.id, id))
    }
  }
}

/** Rich texts as they are kept: cleaned of what could run. */
function cleaned<P extends SchoolFile['courses'][number] | SchoolFile['bundles'][number]>(product: P): P {
  const clean = <C extends P['draft']>(content: C): C => ({
    ...content,
    description: cleanRichText(content.description),
    ...('lessons' in content
      ? { lessons: content.lessons.map((lesson) => ({ ...lesson, body: cleanRichText(lesson.body) })) }
      : {}),
  })
  return { ...product, draft: clean(product.draft), live: product.live && clean(product.live) }
}

async function takeOffers(within: Within, file: SchoolFile): Promise<void> {
  const { db: tx, now } = within
  for (const [name, all] of [
    ['courses', file.courses],
    ['bundles', file.bundles],
  ] as const) {
    for (const [index, product] of all.entries()) {
      for (const [position, { id, draft, live, onSale, isRetired }] of product.offers.entries()) {
        await tx
          .insert(offers)
          .values({ id, productId: product.id, position, draft, draftAt: now(), createdAt: now() })
          .onConflictDoNothing()
        const row = await findDrafted(tx, 'offer', id)
        await takeContent(within, 'offer', row, { draft, live }, `/${name}/${index}/offers/${position}`)
        const retiredAt = isRetired ? (row.retiredAt ?? now()) : null
        await tx.update(offers).set({ position, onSale, retiredAt }).where(eq(offers.id, id))
      }
    }
  }
}

/** A video by another id whose file is here already; where it is not, its place waits for it, and its part says so. */
async function takeVideo(
  { db: tx, now }: Within,
  { id, checksum, type, length }: SchoolFile['videos'][number],
): Promise<void> {
  if ((await tx.$count(videos, eq(videos.id, id))) > 0) return
  const [known] = await tx
    .select({ video: videos })
    .from(videos)
    .innerJoin(files, eq(files.id, videos.fileId))
    .where(and(eq(files.checksum, checksum), eq(files.length, length)))
    .limit(1)
  if (known) {
    await tx.insert(videos).values({ ...known.video, id })
    await tx.delete(awaitedVideos).where(eq(awaitedVideos.id, id))
    return
  }
  await tx
    .insert(awaitedVideos)
    .values({ id, checksum, type, length, createdAt: now() })
    .onConflictDoUpdate({ target: awaitedVideos.id, set: { checksum, type, length } })
}

async function takePages(within: Within, file: SchoolFile): Promise<void> {
  const { db: tx, now } = within
  const contents = (page: { draft: PageContent; live: PageContent | null }) => ({
    draft: cleanPage(page.draft),
    live: page.live && cleanPage(page.live),
  })
  for (const [index, page] of file.pages.entries()) {
    const { id, product, slug, isEveryday, isRetired } = page
    const { draft, live } = contents(page)
    await tx
      .insert(checkoutPages)
      .values({ id, productId: product, slug, isEveryday, draft, draftAt: now(), createdAt: now() })
      .onConflictDoNothing({ target: checkoutPages.id })
    const row = await findDrafted(tx, 'page', id)
    await takeContent(within, 'page', row, { draft, live }, `/pages/${index}`)
    const retiredAt = isRetired ? (row.retiredAt ?? now()) : null
    await tx.update(checkoutPages).set({ slug, retiredAt }).where(eq(checkoutPages.id, id))
    await tx.delete(pageAddresses).where(eq(pageAddresses.slug, slug))
    for (const before of page.before) {
      await tx
        .insert(pageAddresses)
        .values({ slug: before, pageId: id, createdAt: now() })
        .onConflictDoUpdate({ target: pageAddresses.slug, set: { pageId: id } })
    }
  }
  if (file.basketPage) {
    const [page] = await tx.select({ id: checkoutPages.id }).from(checkoutPages).where(isNull(checkoutPages.productId))
    if (!page) throw new Error('The page of the basket is missing.')
    await takeContent(within, 'page', await findDrafted(tx, 'page', page.id), contents(file.basketPage), '/basketPage')
  }
  for (const { id, slug } of [...file.courses, ...file.bundles]) {
    const own = and(eq(checkoutPages.productId, id), checkoutPages.isEveryday)
    if ((await tx.$count(checkoutPages, own)) === 0) await makeEverydayPage(tx, id, slug, now())
  }
  for (const product of new Set(file.pages.map((page) => page.product))) {
    const ofIt = file.pages.filter((page) => page.product === product)
    const main = ofIt.find(({ isMain, isRetired }) => isMain && !isRetired) ?? ofIt.find(({ isEveryday }) => isEveryday)
    if (main) await leadTo(tx, product, main.id)
  }
}

/** What bundles open: by what is live of them, for who buys them from now on. */
async function takeBundled(within: Within, file: SchoolFile): Promise<void> {
  const { db: tx } = within
  for (const { id, live } of file.bundles) {
    if (!live) continue
    const wanted = live.includesAll ? await allCourses(tx) : live.courses
    const opened = await tx
      .select({ id: productCourses.courseId, weight: productCourses.weight })
      .from(productCourses)
      .where(eq(productCourses.productId, id))
      .orderBy(productCourses.position)
    const asKept = wanted.map((course) => ({ id: course.id, weight: course.figure ?? 0 }))
    if (!isSame(opened, asKept)) await changeCourses(within, id, wanted)
  }
  await followShelf(within)
}

async function takeCoupon(within: Within, coupon: SchoolFile['coupons'][number], at: string): Promise<void> {
  const { db: tx, now } = within
  const { id, draft, live, endedAt, isRetired } = coupon
  await tx.insert(coupons).values({ id, draft, draftAt: now(), createdAt: now() }).onConflictDoNothing()
  const row = await findDrafted(tx, 'coupon', id)
  if (row.live && live && row.live.isSet !== live.isSet) {
    throw new FileError(`${at}/live/isSet`, 'A coupon that was published stays a word, or a set of codes.')
  }
  await takeContent(within, 'coupon', row, { draft, live }, at)
  await tx
    .update(coupons)
    .set({
      endedAt: endedAt === null ? null : new Date(endedAt),
      retiredAt: isRetired ? (row.retiredAt ?? now()) : null,
    })
    .where(eq(coupons.id, id))
  const word = live && !live.isSet ? [{ code: live.code, isWithdrawn: false }] : []
  const wanted = isRetired ? [] : [...word, ...coupon.codes]
  await takeCodes(within, id, wanted, { isWord: word.length > 0 || isRetired, at })
}

/** Gives a coupon its codes. A word takes the place of the one before; a set only gets more. */
async function takeCodes(
  { db: tx, now }: Within,
  couponId: string,
  wanted: readonly { code: string; isWithdrawn: boolean }[],
  { isWord, at }: { isWord: boolean; at: string },
): Promise<void> {
  const keys = wanted.map(({ code }) => codeKey(code))
  const taken = await tx
    .select({ key: codes.key })
    .from(codes)
    .where(and(sql`${codes.key} = any(${sql.param(keys)})`, isNull(codes.freedAt), ne(codes.couponId, couponId)))
  const [first] = taken
  if (first) {
    const place = keys.indexOf(first.key)
    throw new FileError(isWord ? `${at}/live/code` : `${at}/codes/${place}/code`, 'Another coupon has this code.')
  }
  if (isWord) {
    await tx
      .update(codes)
      .set({ freedAt: now() })
      .where(
        and(eq(codes.couponId, couponId), isNull(codes.freedAt), sql`not (${codes.key} = any(${sql.param(keys)}))`),
      )
  }
  for (let from = 0; from < wanted.length; from += 500) {
    const rows = wanted.slice(from, from + 500).map(({ code, isWithdrawn }) => ({
      couponId,
      code,
      key: codeKey(code),
      withdrawnAt: isWithdrawn ? now() : null,
      createdAt: now(),
    }))
    await tx.insert(codes).values(rows).onConflictDoNothing()
  }
  const own = and(eq(codes.couponId, couponId), isNull(codes.freedAt))
  const keysOf = (isWithdrawn: boolean) =>
    wanted.filter((code) => code.isWithdrawn === isWithdrawn).map(({ code }) => codeKey(code))
  const [out, back] = [keysOf(true), keysOf(false)]
  if (out.length > 0) {
    await tx
      .update(codes)
      .set({ withdrawnAt: now() })
      .where(and(own, inArray(codes.key, out), isNull(codes.withdrawnAt)))
  }
  if (back.length > 0) {
    await tx
      .update(codes)
      .set({ withdrawnAt: null })
      .where(and(own, inArray(codes.key, back), isNotNull(codes.withdrawnAt)))
  }
  for (const { code } of wanted) {
    await tx
      .update(codes)
      .set({ code })
      .where(and(own, eq(codes.key, codeKey(code)), ne(codes.code, code)))
  }
}

async function takeFront(within: Within, { draft, live }: NonNullable<SchoolFile['front']>): Promise<void> {
  const { db: tx, now } = within
  await tx.insert(fronts).values({ draft, draftAt: now(), createdAt: now() }).onConflictDoNothing()
  const [row] = await tx.select().from(fronts)
  if (row) await takeContent(within, 'front', row, { draft, live }, '/front')
}

function isSame(a: unknown, b: unknown): boolean {
  return writeSorted(a) === writeSorted(b)
}
