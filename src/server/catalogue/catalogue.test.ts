import { eq } from 'drizzle-orm'
import sharp from 'sharp'
import { describe, expect, it } from 'vitest'
import { ownWorld } from '../../testing/ownWorld.ts'
import { versions } from '../db/schema/index.ts'
import { Problem } from '../http/problem.ts'
import { getOffer, saveOfferDraft, setOnSale } from '../offers/service.ts'
import { cleanRichText } from './richText.ts'
import {
  createCourse,
  deleteCourse,
  duplicateCourse,
  getCourse,
  listShelf,
  publishCourse,
  reorderCourses,
  saveCourseDraft,
  setCourseRetired,
} from './service.ts'
import { slugOf } from './slug.ts'

const world = ownWorld()

const problem = async (call: Promise<unknown>) => {
  const error = await call.then(
    () => null,
    (thrown: unknown) => thrown,
  )
  if (!(error instanceof Problem)) throw new Error(`no problem: ${String(error)}`)
  return error
}

describe('drafts and publishing', () => {
  it('a draft changes nothing for buyers before it is published', async () => {
    const { courseId } = await world.sell(100, 'Quiet')
    const course = await getCourse(world.db, courseId)
    await saveCourseDraft(world.services, courseId, course.draftRev, { ...course.draft, title: 'Loud' })
    expect((await getCourse(world.db, courseId)).live?.title).toBe('Quiet')
    await publishCourse(world.services, courseId, course.draftRev + 1, null)
    expect((await getCourse(world.db, courseId)).live?.title).toBe('Loud')
  })

  it('the second of two windows is told and shown what the first wrote; nothing is overwritten', async () => {
    const { offerId } = await world.sell(100, 'Two windows')
    const offer = await getOffer(world.db, offerId)
    await saveOfferDraft(world.services, offerId, offer.draftRev, { ...offer.draft, name: 'First window' })
    const refusal = await problem(
      saveOfferDraft(world.services, offerId, offer.draftRev, { ...offer.draft, name: 'Second window' }),
    )
    expect(refusal).toMatchObject({
      status: 409,
      code: 'changed-elsewhere',
      more: { theirs: { draft: { name: 'First window' } } },
    })
    expect((await getOffer(world.db, offerId)).draft.name).toBe('First window')
  })

  it('every published price is kept with its time', async () => {
    const { offerId } = await world.sell(100, 'Kept')
    await world.reprice(offerId, 200)
    const stored = await world.db.select().from(versions).where(eq(versions.subjectId, offerId))
    expect(stored.map(({ version, content }) => [version, 'terms' in content && content.terms])).toEqual([
      [1, { kind: 'single', amount: 100 }],
      [2, { kind: 'single', amount: 200 }],
    ])
  })

  it('the address follows the title until the course is live, and stays then', async () => {
    const { id } = await createCourse(world.services, 'Straße & Öl')
    expect((await getCourse(world.db, id)).slug).toBe('strasse-ol')
    const renamed = await saveCourseDraft(world.services, id, 1, {
      ...(await getCourse(world.db, id)).draft,
      title: 'Oil',
    })
    expect(renamed.slug).toBe('oil')
    await publishCourse(world.services, id, renamed.draftRev, null)
    const later = await saveCourseDraft(world.services, id, renamed.draftRev, { ...renamed.draft, title: 'Water' })
    expect(later.slug).toBe('oil')
    const { id: second } = await createCourse(world.services, 'Oil')
    expect((await getCourse(world.db, second)).slug).toBe('oil-2')
  })

  it('an offer without a price is not published, and the field is named', async () => {
    const cookie = `acorn_studio=${world.creatorToken}`
    const { id: courseId } = await createCourse(world.services, 'No price')
    const made = (await (await world.call('POST', '/api/offers', { productId: courseId }, { cookie })).json()) as {
      id: string
    }
    const refused = await world.call('POST', `/api/offers/${made.id}/publish`, { rev: 1 }, { cookie })
    expect(refused.status).toBe(422)
    expect(await refused.json()).toMatchObject({ errors: [{ at: '/terms/amount' }] })
  })
})

describe('selling and not selling', () => {
  it('off sale at once, and on sale again', async () => {
    const { offerId, slug } = await world.sell(100, 'On and off')
    await setOnSale(world.services, offerId, false)
    expect((await problem(world.buy(slug, world.request(offerId, 100)))).code).toBe('not-on-sale')
    await setOnSale(world.services, offerId, true)
    expect((await world.buy(slug, world.request(offerId, 100))).state).toBe('paid')
  })

  it('a sold course is retired, never deleted, and who has it keeps it', async () => {
    const { courseId, offerId, slug } = await world.sell(100, 'Sold')
    const { orderId } = await world.buy(slug, world.request(offerId, 100))
    expect((await problem(deleteCourse(world.services, courseId))).code).toBe('was-sold')
    await setCourseRetired(world.services, courseId, true)
    expect((await problem(world.buy(slug, world.request(offerId, 100, { email: 'b@post.example' })))).code).toBe(
      'not-on-sale',
    )
    expect(await world.grantsOf(orderId)).toMatchObject([{ endedAt: null }])
  })

  it('an unsold course is deleted with its offers', async () => {
    const { courseId, offerId } = await world.sell(100, 'Unsold')
    await deleteCourse(world.services, courseId)
    expect((await problem(getOffer(world.db, offerId))).status).toBe(404)
  })
})

it('duplicates a course with its offers as drafts, and keeps the order that it is given', async () => {
  const { courseId } = await world.sell(300, 'Original')
  const { id } = await duplicateCourse(world.services, courseId)
  const shelf = await listShelf(world.services)
  expect(shelf.find((course) => course.id === id)).toMatchObject({
    title: 'Original (copy)',
    isLive: false,
    offers: [{ content: { terms: { kind: 'single', amount: 300 } }, isLive: false, onSale: false }],
  })
  const ids = shelf.map((course) => course.id).reverse()
  await reorderCourses(world.services, ids)
  expect((await listShelf(world.services)).map((course) => course.id)).toEqual(ids)
})

describe('cover pictures', () => {
  const upload = async (bytes: Uint8Array<ArrayBuffer>, name: string) => {
    const form = new FormData()
    form.set('file', new File([bytes], name))
    return fetch(`${world.origin}/api/media/pictures`, {
      method: 'POST',
      body: form,
      headers: { origin: world.origin, cookie: `acorn_studio=${world.creatorToken}` },
    })
  }

  it('are re-encoded and sized, whatever they were', async () => {
    const png = await sharp({ create: { width: 2400, height: 1200, channels: 3, background: '#c9dd62' } })
      .png()
      .toBuffer()
    const { id } = (await (await upload(new Uint8Array(png), 'cover.png')).json()) as { id: string }
    const large = await fetch(`${world.origin}/pictures/${id}/1600`)
    expect(large.headers.get('content-type')).toBe('image/webp')
    expect(await sharp(Buffer.from(await large.arrayBuffer())).metadata()).toMatchObject({
      format: 'webp',
      width: 1600,
      height: 800,
    })
  })

  it('a text file named .png, and a drawing that could hold scripts, are refused at the field', async () => {
    for (const text of ['not a picture', '<svg xmlns="http://www.w3.org/2000/svg"><script>alert(1)</script></svg>']) {
      const refused = await upload(new TextEncoder().encode(text), 'cover.png')
      expect(refused.status).toBe(422)
      expect(await refused.json()).toMatchObject({ errors: [{ at: '/file' }] })
    }
  })
})

it('keeps emphasis and links of rich text, and drops what could run', () => {
  expect(
    cleanRichText('<p onclick="x()">A <strong>b</strong><script>x()</script> <a href="javascript:x()">c</a></p>'),
  ).toBe('<p>A <strong>b</strong> <a rel="noopener nofollow">c</a></p>')
})

it('makes addresses of any title', () => {
  expect(slugOf('  Čeština & más!  ')).toBe('cestina-mas')
  expect(slugOf('本')).toBe('course')
})
