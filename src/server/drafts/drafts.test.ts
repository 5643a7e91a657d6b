import { eq } from 'drizzle-orm'
import { describe, expect, it } from 'vitest'
import { newCoupon } from '../../core/content/coupon.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { createBundle } from '../bundles/service.ts'
import { openFront } from '../catalogue/front.ts'
import { createCoupon, publishCoupon, saveCouponDraft } from '../coupons/service.ts'
import { transaction } from '../db/client.ts'
import { checkoutPages, versions } from '../db/schema/index.ts'
import { findDrafted, forgetComparing, holdDraft, makeLive, publishedOf, type Subject, saveDraft } from './drafts.ts'

const world = ownWorld()

/** One of each kind that is edited as a draft, live in its first version. */
async function one(subject: Subject): Promise<string> {
  const { courseId, offerId } = await world.sell(4800, `Drafted ${crypto.randomUUID().slice(0, 8)}`)
  const [page] = await world.db.select().from(checkoutPages).where(eq(checkoutPages.productId, courseId))
  const coupon = await createCoupon(world.services)
  await publishOwn(coupon.id)
  const bundle = await createBundle(world.services, 'Several')
  await transaction(world.db, async (tx) => {
    const row = await holdDraft(tx, 'bundle', bundle.id, 1)
    await makeLive(tx, 'bundle', row, { live: row.draft, at: new Date('2027-01-01T10:00:00Z'), by: null })
  })
  return {
    course: courseId,
    bundle: bundle.id,
    offer: offerId,
    page: page?.id as string,
    coupon: coupon.id,
    front: await frontId(),
  }[subject]
}
const at = new Date('2027-03-04T10:00:00Z')

async function frontId(): Promise<string> {
  return (await openFront(world.services)).id
}

async function publishOwn(id: string) {
  const code = `D-${crypto.randomUUID().slice(0, 8)}`
  const { draftRev } = await saveCouponDraft(world.services, id, 1, { ...newCoupon(), code })
  await publishCoupon(world.services, id, draftRev, null)
}

describe.each(['course', 'bundle', 'offer', 'page', 'coupon', 'front'] as const)('a draft of a %s', (subject) => {
  it('is saved from the revision that it was edited from; another window’s is kept, and told', async () => {
    const id = await one(subject)
    const { draft, draftRev } = await findDrafted(world.db, subject, id)
    const saved = await saveDraft(world.db, subject, id, { baseRev: draftRev, draft, at })
    expect(saved).toMatchObject({ draftRev: draftRev + 1, draftAt: at })
    const late = saveDraft(world.db, subject, id, { baseRev: draftRev, draft, at: new Date() })
    await expect(late).rejects.toMatchObject({
      code: 'changed-elsewhere',
      more: { theirs: { draft, draftRev: draftRev + 1, draftAt: at.toISOString() } },
    })
    expect((await findDrafted(world.db, subject, id)).draftAt).toEqual(at)
  })

  it('is published in the revision that was looked at, and every version is kept', async () => {
    const id = await one(subject)
    const { draftRev, liveVersion } = await findDrafted(world.db, subject, id)
    await transaction(world.db, async (tx) => {
      const row = await holdDraft(tx, subject, id, draftRev)
      expect(await makeLive(tx, subject, row, { live: row.draft, at, by: null })).toBe(liveVersion + 1)
    })
    expect(await findDrafted(world.db, subject, id)).toMatchObject({ liveVersion: liveVersion + 1, liveAt: at })
    const old = transaction(world.db, (tx) => holdDraft(tx, subject, id, draftRev + 1))
    await expect(old).rejects.toMatchObject({ code: 'changed-elsewhere' })
    const stored = await world.db.select().from(versions).where(eq(versions.subjectId, id)).orderBy(versions.version)
    expect(stored.map(({ version }) => version)).toEqual(Array.from({ length: liveVersion + 1 }, (_, n) => n + 1))
    const published = (await publishedOf(world.db, subject, [id])).get(id)
    expect(published?.map(({ publishedAt }) => publishedAt)).toContain(at.toISOString())
  })

  it('that does not exist is said to be missing', async () => {
    const id = crypto.randomUUID()
    const { draft } = await findDrafted(world.db, subject, await one(subject))
    await expect(saveDraft(world.db, subject, id, { baseRev: 1, draft, at })).rejects.toMatchObject({ status: 404 })
    await expect(transaction(world.db, (tx) => holdDraft(tx, subject, id, 1))).rejects.toMatchObject({ status: 404 })
  })
})

it('what does not compare any more is left out, of its kind alone', async () => {
  const [offer, page] = [await one('offer'), await one('page')]
  await transaction(world.db, (tx) => forgetComparing(tx, 'offer'))
  expect((await publishedOf(world.db, 'offer', [offer])).has(offer)).toBe(false)
  expect((await publishedOf(world.db, 'page', [page])).get(page)).toHaveLength(1)
})
