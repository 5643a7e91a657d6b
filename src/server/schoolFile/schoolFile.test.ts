import { randomUUID } from 'node:crypto'
import { readFileSync } from 'node:fs'
import { Ajv2020 } from 'ajv/dist/2020.js'
import { eq } from 'drizzle-orm'
import sharp from 'sharp'
import { beforeAll, describe, expect, it } from 'vitest'
import { takeDemoVideo } from '../../../demo/video.ts'
import { copyDatabase, dropDatabase } from '../../../scripts/databases.ts'
import { whyNotShown } from '../../core/checkoutPages/facts.ts'
import { emptyPart } from '../../core/checkoutPages/parts.ts'
import { EVERYDAY_PAGE } from '../../core/content/checkoutPage.ts'
import { newCoupon } from '../../core/content/coupon.ts'
import { newOffer } from '../../core/content/offer.ts'
import { VIDEO_PART_BYTES } from '../../core/content/video.ts'
import { TEMPLATE, testUrl } from '../../testing/globalSetup.ts'
import { madeVideo } from '../../testing/madeVideo.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { openFront, publishFront, saveFrontDraft } from '../catalogue/front.ts'
import { getCourse, publishCourse, saveCourseDraft, setCourseRetired } from '../catalogue/service.ts'
import { openPage, publishPage, savePageDraft } from '../checkoutPages/bench.ts'
import { createPage, movePage } from '../checkoutPages/make.ts'
import { createCoupon, endCoupon, publishCoupon, saveCouponDraft } from '../coupons/service.ts'
import { makeCodes, setWithdrawn } from '../coupons/set.ts'
import { connect, SERVICE_LIMITS } from '../db/client.ts'
import {
  awaitedVideos,
  checkoutPages,
  codes,
  creators,
  offers,
  pictures,
  versions,
  videos,
} from '../db/schema/index.ts'
import { cutPicture, keepPicture } from '../media/pictures.ts'
import { beginVideo, finishVideo, takeVideoPart, videosOf } from '../media/videos.ts'
import { schoolView } from '../pages/service.ts'
import { pageInState } from '../pages/states.ts'
import type { Services } from '../platform/context.ts'
import { getSchool } from '../school/service.ts'
import { setUp } from '../session/signIn.ts'
import { exportSchool } from './export.ts'
import { type SchoolFile, schoolFileJsonSchema, writeSorted } from './format.ts'
import { importSchool, readFile } from './import.ts'
import { FileError } from './references.ts'

/** A school in one file: out, in again, and refused. */
const person = (id: string) => ({ id, words: 'I sewed two.', name: 'Agnes', role: '', picture: null })

/** Uploads a video as the studio does. */
async function uploadVideo(services: Services, data: Buffer) {
  const { id, parts } = await beginVideo(services, data.length)
  for (let n = 0; n < parts; n++) {
    await takeVideoPart(services, id, n, data.subarray(n * VIDEO_PART_BYTES, (n + 1) * VIDEO_PART_BYTES))
  }
  return finishVideo(services, id, 'uploaded.webm')
}

const world = ownWorld()

beforeAll(async () => {
  const { services } = world
  const coptic = await world.sell(12_900, 'Coptic binding')
  const marbling = await world.sell(2400, 'Paper marbling')
  const stab = await world.sell(7900, 'Stab bindings')
  const picture = await sharp({ create: { width: 900, height: 600, channels: 3, background: '#8c3a46' } })
    .png()
    .toBuffer()
  const { id: coverId } = await keepPicture(services, picture)
  const { draft, draftRev } = await getCourse(world.db, coptic.courseId)
  const lessons = [{ id: 'one', title: 'Paper', body: '<p>All about <strong>paper</strong> &amp; thread.</p>' }]
  const saved = await saveCourseDraft(services, coptic.courseId, draftRev, { ...draft, coverId, lessons })
  await publishCourse(services, coptic.courseId, saved.draftRev, null)
  const later = { ...saved.draft, title: 'Coptic binding, anew' }
  await saveCourseDraft(services, coptic.courseId, saved.draftRev, later)
  await world.bundle([coptic.courseId, marbling.courseId], 13_900, 'The first shelf')
  await world.bundle(null, 40_000, 'Everything')
  const added = await world.offer(marbling.courseId, 1800, { audience: { who: 'added' } })
  await world.offer(coptic.courseId, null, { audience: { who: 'holders', of: [marbling.courseId] } })
  const [page] = await world.db.select().from(checkoutPages).where(eq(checkoutPages.productId, coptic.courseId))
  const opened = await openPage(services, page?.id as string)
  const bump = { id: 'x', offerId: added, title: '', text: 'Endpapers', coverId, tick: '' }
  const upsell = { id: 'one', offerId: added, title: '', text: 'After it', coverId, onYes: null, onNo: null }
  const shaped = await savePageDraft(services, opened.id, opened.draftRev, {
    ...opened.draft,
    bumps: [bump],
    upsells: [upsell],
    upsellsByTransfer: true,
  })
  await publishPage(services, opened.id, shaped.draftRev, null)
  const [ofBasket] = await world.db.select().from(checkoutPages).where(eq(checkoutPages.slug, 'basket'))
  const basket = await openPage(services, ofBasket?.id as string)
  const baskets = await savePageDraft(services, basket.id, basket.draftRev, { ...basket.draft, bumps: [bump] })
  await publishPage(services, basket.id, baskets.draftRev, null)
  const coupon = async (content: object) => {
    const { id } = await createCoupon(services)
    const { draftRev: rev } = await saveCouponDraft(services, id, 1, { ...newCoupon(), ...content })
    await publishCoupon(services, id, rev, null)
    return id
  }
  await coupon({ code: 'LINEN10', appliesTo: { products: [coptic.courseId], offers: [added] } })
  await endCoupon(services, await coupon({ code: 'GONE' }))
  const set = await coupon({ isSet: true, code: 'Fair', prefix: 'FAIR-' })
  await makeCodes(services, set, 5)
  const [one] = await world.db.select().from(codes).where(eq(codes.couponId, set))
  await setWithdrawn(services, set, [one?.id as string], true)
  const front = await openFront(services)
  const sections = [{ id: 's', title: 'Begin here', products: [marbling.courseId] }]
  const fronted = await saveFrontDraft(services, front.draftRev, {
    headline: 'Books',
    intro: '',
    sections,
    hasBasket: true,
  })
  await publishFront(services, fronted.draftRev, null)
  await setCourseRetired(services, stab.courseId, true)
})

const written = async () => writeSorted(await exportSchool(world.db))

/** An empty database beside the world's own, with what services need of it. */
async function elsewhere<T>(run: (services: typeof world.services) => Promise<T>): Promise<T> {
  const url = testUrl(`acorn_file_${randomUUID().slice(0, 8)}`)
  await copyDatabase(url, TEMPLATE)
  const { db, pool } = connect(url, 4, SERVICE_LIMITS)
  try {
    return await run({ ...world.services, db })
  } finally {
    await pool.end()
    await dropDatabase(url)
  }
}

/** What is wrong with a file, as it is told. */
async function refused(change: (file: SchoolFile & Record<string, unknown>) => unknown): Promise<string> {
  const file = JSON.parse(await written())
  const changed = change(file) ?? file
  const before = await written()
  const error = await importSchool(
    world.services,
    typeof changed === 'string' ? changed : JSON.stringify(changed),
  ).then(
    () => null,
    (thrown: unknown) => thrown,
  )
  if (!(error instanceof FileError)) throw new Error(`not refused: ${String(error)}`)
  expect(await written()).toBe(before)
  expect(error.message).toMatch(/\w.*[.\d”]$/)
  return error.at
}

describe('an export', () => {
  it('holds the school without buyers and secrets, keys sorted, and is the same each time', async () => {
    const text = await written()
    const file = JSON.parse(text) as SchoolFile
    expect(Object.keys(file)).toEqual([...Object.keys(file)].sort())
    expect(file.courses.map(({ slug, isRetired, offers: all }) => [slug, isRetired, all.length])).toEqual([
      ['coptic-binding', false, 2],
      ['paper-marbling', false, 2],
      ['stab-bindings', true, 1],
    ])
    expect(file.courses[0]?.draft.title).not.toBe(file.courses[0]?.live?.title)
    expect(file.pictures).toHaveLength(1)
    expect(file.coupons.flatMap(({ codes: all }) => all.map(({ isWithdrawn }) => isWithdrawn)).sort()).toEqual([
      false,
      false,
      false,
      false,
      true,
    ])
    expect(text).not.toContain('owner@school.example')
    expect(await written()).toBe(text)
    expect(readFile(text)).toEqual(file)
  })

  it('imported where it came from changes nothing, and makes no new version', async () => {
    const text = await written()
    const count = await world.db.$count(versions)
    await importSchool(world.services, text)
    expect(await written()).toBe(text)
    expect(await world.db.$count(versions)).toBe(count)
  })

  it('imported into an empty database, before its first account, is the same bytes there', async () => {
    const text = await written()
    await elsewhere(async (services) => {
      await importSchool(services, text)
      expect(writeSorted(await exportSchool(services.db))).toBe(text)
      await importSchool(services, text)
      expect(writeSorted(await exportSchool(services.db))).toBe(text)
      const { name, currency, language, timeZone, country, taxMode, taxRate } = (JSON.parse(text) as SchoolFile).school
      const school = { name, currency, language, leaveOutZeros: false, timeZone, country, taxMode, taxRate }
      await setUp(services, {
        school,
        creator: { name: 'New', email: 'new@owner.example', password: 'long enough here' },
      })
      expect(await services.db.$count(creators)).toBe(1)
      expect(writeSorted(await exportSchool(services.db))).toBe(text)
      const other = { school, creator: { name: 'Two', email: 'two@owner.example', password: 'long enough here' } }
      await expect(setUp(services, other)).rejects.toMatchObject({ code: 'set-up-already' })
    })
  })
})

it('the demo school is such a file: taken into an empty database, it comes out as it went in', async () => {
  const text = writeSorted(JSON.parse(readFileSync('demo/school.json', 'utf8')))
  await elsewhere(async (services) => {
    // Its video is named in the file, and found by what it is.
    await takeDemoVideo(services)
    await importSchool(services, text)
    expect(writeSorted(await exportSchool(services.db))).toBe(text)
  })
})

describe('a page of its own', () => {
  /** A campaign with a cropped picture, a text, a face, and a video; it ends, and leads to the page for every day. */
  async function campaign() {
    const { services } = world
    const course = await world.sell(4800, 'With a campaign')
    const [everyday] = await world.db.select().from(checkoutPages).where(eq(checkoutPages.productId, course.courseId))
    const file = await sharp({ create: { width: 800, height: 600, channels: 3, background: '#285a3c' } })
      .png()
      .toBuffer()
    const whole = await keepPicture(services, file)
    const cut = { x: 0, y: 0, width: 50, height: 100 }
    const part = await cutPicture(services, whole.id, cut)
    const shot = {
      ...{ pictureId: part.id, cut: { pictureId: whole.id, ...cut } },
      ...{ focus: { x: 20, y: 80 }, alt: 'Green', isDecoration: false },
    }
    await takeDemoVideo(services)
    const [video] = await world.db.select().from(videos)
    const videoId = video?.id as string
    const from = { arrangement: 'empty' as const }
    const { id } = await createPage(services, { productId: course.courseId, name: 'Campaign', from })
    const opened = await openPage(services, id)
    const saved = await savePageDraft(services, id, opened.draftRev, {
      ...opened.draft,
      parts: [
        { ...emptyPart('opening', 'o'), behind: 'picture', picture: shot },
        { ...emptyPart('text', 't'), html: '<p>Dear reader</p>' },
        { ...emptyPart('video', 'v'), videoId },
        {
          ...emptyPart('testimonials', 'p'),
          people: [{ id: 'one', words: 'I sewed two.', name: 'Agnes', role: '', picture: shot }],
        },
      ],
      ends: { at: new Date(services.now().getTime() + 86_400_000).toISOString(), leadsTo: everyday?.id as string },
    })
    await publishPage(services, id, saved.draftRev, null)
    await movePage(services, id, 'spring-campaign')
    return { id, whole: whole.id, videoId }
  }

  it('comes back with its pictures, uncut too, its old addresses and its end; its video by what it is', async () => {
    const { id, whole, videoId } = await campaign()
    const text = await written()
    const file = JSON.parse(text) as SchoolFile
    expect(file.pictures.map((picture) => picture.id)).toContain(whole)
    const [video] = file.videos
    expect(video).toMatchObject({ id: videoId, type: 'video/webm' })
    expect(file.pages.find((page) => page.id === id)).toMatchObject({ slug: 'spring-campaign', before: ['campaign'] })
    await elsewhere(async (services) => {
      await takeDemoVideo(services)
      await importSchool(services, text)
      expect(writeSorted(await exportSchool(services.db))).toBe(text)
    })
    // Its video is not there: everything else is, its place waits for it, and the part says that it is missing.
    await elsewhere(async (services) => {
      await importSchool(services, text)
      expect(writeSorted(await exportSchool(services.db))).toBe(text)
      await importSchool(services, text)
      expect(await services.db.$count(awaitedVideos)).toBe(1)
      const { parts } = (await openPage(services, id)).draft
      const view = await pageInState(services, await getSchool(services.db), {
        ...{ id, state: 'first', mode: 'practice' },
        content: { ...EVERYDAY_PAGE, parts },
      })
      if (view.view.name !== 'checkout') throw new Error('not sold')
      const { facts } = view.view.page
      expect(parts.filter((part) => whyNotShown(part, facts) !== null).map(({ kind }) => kind)).toEqual(['video'])
      // Another file does not fill it; that one does, and then it is there by the id that the page names.
      await uploadVideo(services, await madeVideo('avc'))
      expect(await services.db.$count(awaitedVideos)).toBe(1)
      await uploadVideo(services, readFileSync('demo/media/comb.webm'))
      expect(await services.db.$count(awaitedVideos)).toBe(0)
      expect(await videosOf(services.db, [videoId])).toMatchObject([{ id: videoId, warning: null }])
      expect(writeSorted(await exportSchool(services.db))).toBe(text)
    })
  })

  it('brings no script in, and leads to no page that is not there', async () => {
    const file = JSON.parse(await written()) as SchoolFile
    const at = file.pages.findIndex(({ slug }) => slug === 'spring-campaign')
    const page = file.pages[at]
    if (!page?.live?.ends) throw new Error('no campaign')
    const lie = '<p onclick="x()">A<script>x()</script><a href="javascript:x">b</a><img src="x" onerror="x()"></p>'
    for (const content of [page.draft, page.live]) {
      for (const part of content.parts) if (part.kind === 'text') part.html = lie
    }
    await elsewhere(async (services) => {
      await importSchool(services, JSON.stringify(file))
      const taken = (await exportSchool(services.db)).pages.find(({ id }) => id === page.id)
      const texts = [taken?.draft, taken?.live].map((content) => content?.parts.find(({ kind }) => kind === 'text'))
      const clean = { html: '<p>A<a rel="noopener nofollow">b</a></p>' }
      expect(texts).toMatchObject([clean, clean])
    })
    const lost = (which: 'draft' | 'live') => (all: SchoolFile) =>
      void Object.assign(all.pages[at]?.[which]?.ends ?? {}, { leadsTo: randomUUID() })
    expect(await refused(lost('live'))).toBe(`/pages/${at}/live/ends/leadsTo`)
    expect(await refused(lost('draft'))).toBe(`/pages/${at}/draft/ends/leadsTo`)
    expect(
      await refused((all) => {
        const part = all.pages[at]?.live?.parts.find(({ kind }) => kind === 'opening')
        if (part?.kind === 'opening' && part.picture?.cut) part.picture.cut.pictureId = randomUUID()
      }),
    ).toBe(`/pages/${at}/live/parts/0/picture/cut/pictureId`)
  })
})

describe('an import', () => {
  it('changes by id what differs, adds what is new, and deletes nothing', async () => {
    const file = JSON.parse(await written()) as SchoolFile
    const [first] = file.courses
    if (!first?.live) throw new Error('no course')
    const content = {
      ...first.live,
      title: 'From a file',
      lessons: [],
      coverId: null,
      description: '<p onclick="x()">A</p>',
    }
    const offer = {
      id: randomUUID(),
      draft: { ...newOffer('One payment'), terms: { kind: 'single' as const, amount: 900 } },
    }
    const added = {
      id: randomUUID(),
      slug: 'from-a-file',
      draft: content,
      live: content,
      offers: [{ ...offer, live: offer.draft, onSale: true }],
    }
    const other = await world.sell(100, 'Only here')
    await importSchool(world.services, JSON.stringify({ ...file, courses: [...file.courses, added] }))
    const after = await exportSchool(world.db)
    expect(after.courses.map(({ slug }) => slug)).toEqual(expect.arrayContaining(['from-a-file', other.slug]))
    expect(after.courses.find(({ id }) => id === added.id)?.live?.description).toBe('<p>A</p>')
    expect(after.pages.map(({ slug }) => slug)).toContain('from-a-file')
    const [sold] = await world.db.select().from(offers).where(eq(offers.id, offer.id))
    expect([sold?.onSale, sold?.liveVersion]).toEqual([true, 1])
    await importSchool(world.services, JSON.stringify(after))
    expect(await world.db.$count(pictures)).toBe(file.pictures.length)
  })

  it('is refused with the place and the reason, and changes nothing', async () => {
    expect(await refused(() => '{"format": ')).toBe('')
    expect(await refused((file) => ({ ...file, version: 2 }))).toBe('/version')
    expect(await refused((file) => ({ ...file, format: 'other' }))).toBe('/format')
    expect(await refused((file) => ({ ...file, surprise: 1 }))).toBe('/surprise')
    const stepOf = (file: SchoolFile) => file.pages.flatMap(({ draft }) => draft.upsells)[0]
    const steps = /^\/pages\/\d+\/draft\/upsells\/0\/(offerId|onNo)$/
    expect(await refused((file) => void Object.assign(stepOf(file) ?? {}, { offerId: randomUUID() }))).toMatch(steps)
    expect(await refused((file) => void Object.assign(stepOf(file) ?? {}, { onNo: 'one' }))).toMatch(steps)
    const basketBump = (file: SchoolFile) => file.basketPage?.live?.bumps[0] ?? {}
    expect(await refused((file) => void Object.assign(basketBump(file), { offerId: randomUUID() }))).toBe(
      '/basketPage/live/bumps/0/offerId',
    )
    expect(await refused((file) => void Object.assign(file.courses[0] ?? {}, { slug: 'basket' }))).toBe(
      '/courses/0/slug',
    )
    expect(await refused((file) => void Object.assign(file.courses[0]?.draft ?? {}, { 'a/b~c': 1 }))).toBe(
      '/courses/0/draft/a~1b~0c',
    )
    expect(await refused((file) => void Object.assign(file.courses[0]?.offers[0]?.draft.terms ?? {}, { odd: 1 }))).toBe(
      '/courses/0/offers/0/draft/terms/odd',
    )
    expect(
      await refused((file) => void Object.assign(file.courses[0]?.offers[0]?.live?.terms ?? {}, { amount: -1 })),
    ).toBe('/courses/0/offers/0/live/terms/amount')
    expect(await refused((file) => void Object.assign(file.courses[1] ?? {}, { id: file.courses[0]?.id }))).toBe(
      '/courses/1/id',
    )
    expect(await refused((file) => void Object.assign(file.courses[1] ?? {}, { slug: file.courses[0]?.slug }))).toBe(
      '/courses/1/slug',
    )
    const people = { ...emptyPart('testimonials', 'p'), people: [person('a'), person('a')] }
    const asked = ['x', 'y', 'x'].map((id) => ({ id, question: 'Who?', answer: 'You.' }))
    const questions = { ...emptyPart('questions', 'q'), list: asked }
    const pageWith =
      (...parts: object[]) =>
      (file: SchoolFile) =>
        void Object.assign(file.pages[0]?.draft ?? {}, { parts })
    expect(await refused(pageWith(people))).toBe('/pages/0/draft/parts/0/people/1/id')
    expect(await refused(pageWith(questions))).toBe('/pages/0/draft/parts/0/list/2/id')
    expect(await refused(pageWith(emptyPart('text', 't'), emptyPart('text', 't')))).toBe('/pages/0/draft/parts')
    expect(
      await refused((file) => void file.courses[0]?.draft.lessons.push(...(file.courses[0]?.draft.lessons ?? []))),
    ).toBe('/courses/0/draft/lessons/1/id')
    expect(await refused((file) => void file.bundles[0]?.live?.courses.push({ id: randomUUID(), figure: null }))).toBe(
      '/bundles/0/live/courses/2/id',
    )
    expect(await refused((file) => void Object.assign(file.courses[0]?.draft ?? {}, { coverId: randomUUID() }))).toBe(
      '/courses/0/draft/coverId',
    )
    const bytes = Buffer.from('no picture').toString('base64')
    expect(await refused((file) => void Object.assign(file.pictures[0] ?? {}, { data: bytes }))).toBe(
      '/pictures/0/data',
    )
    expect(await refused((file) => void Object.assign(file.pictures[0] ?? {}, { data: '***' }))).toBe(
      '/pictures/0/data',
    )
    expect(await refused((file) => void Object.assign(file.pages[0] ?? {}, { product: randomUUID() }))).toBe(
      '/pages/0/product',
    )
    expect(await refused((file) => void Object.assign(file.school, { timeZone: 'Moon/Sea' }))).toBe('/school/timeZone')
    expect(await refused(({ school: _school, ...file }) => file)).toBe('/school')
    const lists = await refused((file) => ({ ...file, courses: {} }))
    expect(lists).toBe('/courses')
  })

  it('does not take an address or a word that something else has', async () => {
    const file = JSON.parse(await written()) as SchoolFile
    const [first] = file.courses
    const taken = { ...first, id: randomUUID(), offers: [] }
    expect(await refused(() => ({ ...file, courses: [taken], bundles: [], pages: [], front: null, coupons: [] }))).toBe(
      '/courses/0/slug',
    )
    const coupon = file.coupons.find(({ live }) => live?.code === 'LINEN10')
    const word = { ...coupon, id: randomUUID() }
    expect(await refused(() => ({ ...file, coupons: [word] }))).toBe('/coupons/0/live/code')
    const asBundle = { ...file.bundles[0], id: first?.id, slug: 'other-word', offers: [] }
    expect(await refused(() => ({ ...file, courses: [], pages: [], bundles: [asBundle] }))).toBe('/bundles/0/id')
  })

  it('that is huge, deep or full of markup is refused, or taken without harm', async () => {
    const deep = `${'['.repeat(200_000)}${']'.repeat(200_000)}`
    expect(await refused(() => deep)).toBe('/format')
    expect(
      await refused((file) => JSON.stringify({ ...file, courses: 0 }).replace('"courses":0', `"courses":${deep}`)),
    ).toMatch(/^(\/courses.*)?$/)
    expect(
      await refused((file) =>
        JSON.stringify(file).replace('"draft":{', `"draft":{"odd":${'{"a":'.repeat(50_000)}1${'}'.repeat(50_000)},`),
      ),
    ).toMatch(/odd$|^$/)
    expect(await refused((file) => JSON.stringify(file).replace('{', '{"__proto__":{"isRetired":true},'))).toMatch(
      /__proto__|^$/,
    )
    const long = 'x'.repeat(5_000_000)
    expect(await refused((file) => void Object.assign(file.courses[0]?.draft ?? {}, { title: long }))).toBe(
      '/courses/0/draft/title',
    )
    expect(await refused((file) => void Object.assign(file.courses[0]?.draft ?? {}, { description: long }))).toBe(
      '/courses/0/draft/description',
    )
    const many = (file: SchoolFile) =>
      Array.from({ length: 20_000 }, () => ({ ...file.courses[0], id: randomUUID(), slug: randomUUID(), offers: [] }))
    expect(await refused((file) => ({ ...file, courses: many(file) }) as never)).toMatch(/^\/courses/)
    const hostile = '"><script>alert(1)</script><img src=x onerror=alert(1)>{{7*7}}'
    await elsewhere(async (services) => {
      const file = JSON.parse(await written()) as SchoolFile
      for (const course of file.courses) {
        for (const content of [course.draft, course.live]) {
          if (!content) continue
          Object.assign(content, { title: hostile, summary: hostile, description: `<p>${hostile}</p>` })
        }
      }
      await importSchool(services, JSON.stringify(file))
      const taken = await exportSchool(services.db)
      expect(taken.courses[0]?.draft.title).toBe(hostile)
      expect(
        JSON.stringify(taken.courses.map(({ draft, live }) => [draft.description, live?.description])),
      ).not.toMatch(/<script|onerror/)
    })
  })

  it('of 64 MB is too large', () => {
    expect(() => readFile(' '.repeat(64 * 1024 * 1024 + 1))).toThrow('larger than 64 MB')
  })
})

it('the one of the documentation, written by hand, is taken, and a course is on sale by it', async () => {
  const page = readFileSync(new URL('../../../docs/school-file.md', import.meta.url), 'utf8')
  const example = /```json\n([\s\S]*?)```/.exec(page)?.[1] ?? ''
  await elsewhere(async (services) => {
    await importSchool(services, example)
    const shop = await schoolView(services, await getSchool(services.db))
    expect(shop.name === 'school' && shop.sections[0]?.products.map(({ title, price }) => [title, price])).toEqual([
      ['One-sheet books', '€19'],
    ])
  })
})

it('an export is valid against its JSON Schema, and what does not belong there is not', async () => {
  const validate = new Ajv2020({ strict: false, validateFormats: false }).compile(schoolFileJsonSchema())
  const file = JSON.parse(await written())
  expect(validate(file), JSON.stringify(validate.errors)).toBe(true)
  expect(validate({ ...file, surprise: 1 })).toBe(false)
  file.courses[0].offers[0].draft.terms.amount = -1
  expect(validate(file)).toBe(false)
})

it('its JSON Schema knows every field, and no other', () => {
  const schema = schoolFileJsonSchema() as {
    $schema: string
    additionalProperties: boolean
    properties: object
    required: string[]
  }
  expect(schema.$schema).toBe('https://json-schema.org/draft/2020-12/schema')
  expect(schema.additionalProperties).toBe(false)
  expect(Object.keys(schema.properties).sort()).toEqual(
    [
      'basketPage',
      'bundles',
      'coupons',
      'courses',
      'format',
      'front',
      'pages',
      'pictures',
      'school',
      'version',
      'videos',
    ].sort(),
  )
  expect(schema.required.sort()).toEqual(['format', 'school', 'version'])
  expect(JSON.stringify(schema)).not.toContain('"$ref":"#/undefined"')
})
