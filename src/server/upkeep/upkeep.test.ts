import { randomBytes } from 'node:crypto'
import { eq } from 'drizzle-orm'
import sharp from 'sharp'
import { describe, expect, it } from 'vitest'
import { emptyPart, newShot } from '../../core/checkoutPages/parts.ts'
import { EVERYDAY_PAGE } from '../../core/content/checkoutPage.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { THREE_PARTS } from '../../testing/terms.ts'
import { collectAgreement } from '../collecting/collect.ts'
import { makePayLink } from '../collecting/payLinks.ts'
import {
  agreements,
  attempts,
  courses,
  eventRefusals,
  files,
  gatewayEvents,
  journal,
  payLinks,
  pictures,
  rateLimits,
  sessions,
  versions,
} from '../db/schema/index.ts'
import { offeredMethods } from '../gateways/service.ts'
import { keepPicture } from '../media/pictures.ts'
import { beginVideo, uploadOf } from '../media/videos.ts'
import { Secrets } from '../platform/secrets.ts'
import { makePasswordLink } from '../session/links.ts'
import { listGateways } from '../setup/overview.ts'
import { purge } from './purge.ts'
import { describeLostKeys, resealConnections } from './reseal.ts'

const DAY = 86_400_000
const world = ownWorld()

describe('a secret key that has changed', () => {
  const [old, fresh] = [randomBytes(32), randomBytes(32)]

  it('is said, hides the payment method at the checkout, and lets later payments wait; with the old key beside it all goes on', async () => {
    const before = world.services.secrets
    const services = (...keys: Buffer[]) => ({ ...world.services, secrets: new Secrets(...keys) })
    // What was sealed until now is sealed with the old key.
    await resealConnections({ ...world.services, secrets: sealingWith(old, before) })
    const plan = await world.sell(THREE_PARTS, 'Later')
    world.services.secrets = new Secrets(old)
    const { orderId } = await world.buy(plan.slug, world.request(plan.offerId, 4300, { email: 'key@post.example' }))
    const [agreement] = await world.db.select().from(agreements).where(eq(agreements.orderId, orderId))
    const id = agreement?.id as string
    world.clock.offsetMs = 31 * DAY

    const lost = services(fresh)
    expect(await describeLostKeys(lost)).toContain('thistle')
    expect(await offeredMethods(lost, 'practice')).toEqual([])
    const listed = await listGateways(lost, 'practice')
    const thistle = listed.gateways.find((gateway) => gateway.id === 'thistle')
    expect(thistle?.connection).toMatchObject({ isKeyLost: true })
    expect(JSON.stringify(listed)).not.toContain('"secret"')
    await collectAgreement(lost, id)
    expect((await world.attemptsOf(orderId)).filter(({ state }) => state === 'declined')).toEqual([])
    expect((await world.db.select().from(agreements).where(eq(agreements.id, id)))[0]).toMatchObject({ tries: 0 })

    const both = services(fresh, old)
    expect(await describeLostKeys(both)).toBeNull()
    expect(await resealConnections(both)).toEqual({ sealed: 1, lost: 0 })
    expect(await describeLostKeys(services(fresh))).toBeNull()
    expect(await offeredMethods(services(fresh), 'practice')).toHaveLength(1)
    world.services.secrets = new Secrets(fresh)
  })
})

/** Opens with what sealed until now, and seals with another key. */
function sealingWith(key: Buffer, opening: Secrets): Secrets {
  const sealing = new Secrets(key)
  sealing.open = (sealed) => opening.open(sealed)
  sealing.canOpen = (sealed) => opening.canOpen(sealed)
  return sealing
}

describe('purging', () => {
  it('takes what has ended and nobody needs after its days, and nothing of the books', async () => {
    const { db, services } = world
    const course = await world.sell(100, 'Purged')
    const plan = await world.sell(THREE_PARTS, 'Purged plan')
    const { orderId } = await world.buy(plan.slug, world.request(plan.offerId, 4300, { email: 'purge@post.example' }))
    const [agreement] = await db.select().from(agreements).where(eq(agreements.orderId, orderId))
    await makePayLink(services, agreement?.id as string)
    await makePasswordLink(services, (await world.orderOf(orderId))?.personId as string)
    const picture = async (width: number) => {
      const dot = await sharp({ create: { width, height: 2, channels: 3, background: 'red' } })
        .png()
        .toBuffer()
      return (await keepPicture(services, dot)).id
    }
    const [shown, unseen, quoted] = [await picture(2), await picture(3), await picture(4)]
    // Shown only by an earlier version of a page, which can be brought back.
    const person = { id: 'one', words: 'x', name: 'x', role: '', picture: newShot(quoted) }
    await db.insert(versions).values({
      subject: 'page',
      subjectId: plan.courseId,
      version: 9,
      content: { ...EVERYDAY_PAGE, parts: [{ ...emptyPart('testimonials', 'said'), people: [person] }] },
      publishedAt: services.now(),
    })
    const abandoned = await beginVideo(services, 5)
    const [row] = await db.select().from(courses).where(eq(courses.id, course.courseId))
    if (row)
      await db
        .update(courses)
        .set({ draft: { ...row.draft, coverId: shown } })
        .where(eq(courses.id, row.id))
    const received = { connectionId: world.connectionId, receivedAt: services.now() }
    await db.insert(gatewayEvents).values([
      { ...received, eventId: 'done', state: 'handled' },
      { ...received, eventId: 'unfinished', state: 'received' },
    ])
    await db.insert(eventRefusals).values({
      connectionId: world.connectionId,
      day: services.now().toISOString().slice(0, 10),
      count: 3,
      lastNote: 'x',
      lastAt: services.now(),
    })
    await db.insert(rateLimits).values({ key: 'x', points: 1, expire: services.now().getTime() + 3_600_000 })
    const books = async () => [await db.$count(attempts), await db.$count(journal)]
    const before = await books()
    expect(await purge(services)).toMatchObject({ payLinks: 0, events: 0, pictures: 0, refusals: 0, sessions: 0 })
    world.clock.offsetMs = 91 * DAY
    const gone = await purge(services)
    expect(gone).toMatchObject({ passwordLinks: 1, pictures: 1, files: 2, refusals: 1 })
    expect(gone.limits).toBeGreaterThan(0)
    expect(gone.sessions).toBeGreaterThan(0)
    expect(await db.$count(payLinks)).toBe(1)
    expect((await db.select({ id: pictures.id }).from(pictures)).map(({ id }) => id).sort()).toEqual(
      [shown, quoted].sort(),
    )
    expect(await db.$count(files)).toBe(2)
    await expect(uploadOf(services, abandoned.id)).rejects.toMatchObject({ status: 404 })
    expect(shown).not.toBe(unseen)
    expect((await db.select().from(gatewayEvents)).map(({ eventId }) => eventId)).toContain('unfinished')
    expect((await db.select().from(gatewayEvents)).map(({ eventId }) => eventId)).not.toContain('done')
    world.clock.offsetMs = 200 * DAY
    await purge(services)
    expect(await db.$count(payLinks)).toBe(0)
    expect(await db.$count(sessions)).toBe(0)
    expect(await books()).toEqual(before)
  })
})
