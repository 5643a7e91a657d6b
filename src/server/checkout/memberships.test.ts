import { and, eq } from 'drizzle-orm'
import { beforeEach, expect, it } from 'vitest'
import { addDays } from '../../core/calendar/day.ts'
import { newOffer, type OfferContent } from '../../core/content/offer.ts'
import { advance } from '../../testing/overTime.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { offerMore } from '../../testing/school.ts'
import { MONTHLY, WHILE_PAYING } from '../../testing/terms.ts'
import { shopper } from '../../testing/world.ts'
import { announceAccess } from '../access/announce.ts'
import { checkAccess } from '../access/service.ts'
import { explainGrants } from '../access/why.ts'
import { cancelAgreement } from '../collecting/actions.ts'
import { agreements, grants, messages, people } from '../db/schema/index.ts'
import { sendMessage } from '../messages/send.ts'
import { checkoutView } from '../pages/checkout.ts'
import { myView, thanksView } from '../pages/service.ts'
import type { CheckoutView } from '../pages/views.ts'
import { getSchool, schoolDay } from '../school/service.ts'

const world = ownWorld()
let n = 0
let club: Awaited<ReturnType<typeof world.sell>>
let shelf: Awaited<ReturnType<typeof world.bundle>>
let inside: typeof club
let extra: typeof club
/** Of the extra course, free for members of the club or the shelf, as long as they are that. */
let free: string
beforeEach(async () => {
  n++
  club = await world.sell(MONTHLY, `Club ${n}`, { access: WHILE_PAYING })
  inside = await world.sell(2400, `Inside ${n}`)
  const another = await world.sell(2400, `Another ${n}`)
  shelf = await world.bundle([inside.courseId, another.courseId], 5000, `Shelf ${n}`, { access: days(30) })
  extra = await world.sell(9900, `Extra ${n}`)
  free = await forMembers([club.courseId, shelf.bundleId])
})

const days = (count: number) => ({ from: null, lasts: { count, unit: 'day' as const }, graceDays: 0 })
const whileMember: Partial<OfferContent> = { access: { from: null, lasts: 'whileMember', graceDays: 0 } }
const forMembers = (of: string[], more: Partial<OfferContent> = whileMember) =>
  offerMore(world.services, extra.courseId, {
    ...newOffer('For members'),
    ...{ terms: { kind: 'free' }, audience: { who: 'holders', of } },
    ...more,
  })
const email = () => `ada${n}@members.example`
const buy = (of: { slug: string; offerId: string }, pay: number, more: object = {}) =>
  world.buy(of.slug, world.request(of.offerId, pay, { email: email(), ...more }), `ada${n}`)
const takeFree = () => buy({ ...extra, offerId: free }, 0, { payment: null })

async function signedIn() {
  const [person = null] = await world.db.select().from(people).where(eq(people.email, email()))
  return { ...shopper('elsewhere'), person }
}
const stateOf = async (courseId: string) => (await checkAccess(world.services, courseId, await signedIn())).state

it('who bought a bundle is its member, and nobody else: not by a course of it alone', async () => {
  await buy(inside, 2400)
  await expect(takeFree()).rejects.toMatchObject({ code: 'not-for-you' })
  const { offers } = (await checkoutView(
    world.services,
    await getSchool(world.db),
    extra.slug,
    shopper('x'),
  )) as CheckoutView
  expect(offers.find(({ id }) => id === free)?.needs).toEqual({
    courses: expect.arrayContaining([
      { kind: 'course', slug: club.slug, title: `Club ${n}` },
      { kind: 'bundle', slug: shelf.slug, title: `Shelf ${n}` },
    ]),
    isMet: false,
  })
  await buy(shelf, 5000, { isTold: true })
  expect(await takeFree()).toMatchObject({ state: 'paid' })
  expect(await stateOf(extra.courseId)).toBe('open')
})

it('one basket with the membership is refused, a bundle too', async () => {
  const together = { ...world.request(free, 5000, { email: email() }) }
  together.lines = [shelf, { offerId: free }].map(({ offerId }) => ({ offerId, chosen: null }))
  // Refused also for someone who is a member already.
  await buy(shelf, 5000)
  await expect(world.buyTogether(together, `ada${n}`)).rejects.toMatchObject({ code: 'needs-it-before' })
})

it('access lasts as long as the membership, ends with it, and opens again with the next', async () => {
  await buy(shelf, 5000)
  const { orderId } = (await takeFree()) as { orderId: string }
  const [grant] = await world.db.select().from(grants).where(eq(grants.orderId, orderId))
  expect(grant).toMatchObject({ closes: null, membersOf: [club.courseId, shelf.bundleId] })
  await advance(world, 29)
  expect(await stateOf(extra.courseId)).toBe('open')
  await advance(world, 1)
  expect(await stateOf(extra.courseId)).toBe('closed')
  const [ended] = await explainGrants(world.services, { orderId })
  expect(ended?.why).toContain(`the membership in “Club ${n}” or “Shelf ${n}” has ended. A new one opens it again`)

  await buy(club, 1900)
  expect(await stateOf(extra.courseId)).toBe('open')
  const [agreed] = await world.db
    .select()
    .from(agreements)
    .where(eq(agreements.personId, grant?.personId as string))
  await cancelAgreement(world.services, agreed?.id as string, 'now', 'creator')
  await advance(world, 1)
  expect(await stateOf(extra.courseId)).toBe('closed')
})

it('it is said before, on the thanks page, in the receipt, under My courses and in the studio', async () => {
  await buy(shelf, 5000)
  const { offers } = (await checkoutView(
    world.services,
    await getSchool(world.db),
    extra.slug,
    shopper(`ada${n}`),
  )) as CheckoutView
  expect(offers.find(({ id }) => id === free)).toMatchObject({
    opening: { isWhileMember: true },
    needs: { isMet: true },
  })
  const { orderId } = (await takeFree()) as { orderId: string }
  const titles = [`Club ${n}`, `Shelf ${n}`]
  expect(await thanksView(world.services, orderId, shopper(`ada${n}`))).toMatchObject({
    bought: [{ membership: titles }],
  })
  const [receipt] = await world.db.select().from(messages).where(eq(messages.orderId, orderId))
  const texts: string[] = []
  await sendMessage(world.services, receipt?.id as string, async ({ text }) => void texts.push(text))
  expect(texts[0]).toContain(`“Extra ${n}” stays open as long as your membership in “Club ${n}” or “Shelf ${n}” lasts.`)
  const [given] = await explainGrants(world.services, { orderId })
  expect(given?.why).toContain(`Open as long as the membership in “Club ${n}” or “Shelf ${n}” lasts`)
  await advance(world, 31)
  const my = await myView(world.services, await signedIn())
  expect(my).toMatchObject({
    courses: expect.arrayContaining([expect.objectContaining({ title: `Extra ${n}`, state: 'closed' })]),
  })
})

it('who has it as a member alone may buy it for good; taken twice as a member, it is there once', async () => {
  await buy(shelf, 5000)
  await takeFree()
  await expect(takeFree()).resolves.toMatchObject({ state: 'paid' })
  await expect(
    world.buy(extra.slug, world.request(free, 0, { email: email(), payment: null }), 'elsewhere'),
  ).rejects.toMatchObject({ status: 403 })
  expect(await buy(extra, 9900, { isTold: true })).toMatchObject({ state: 'paid' })
  await advance(world, 31)
  expect(await stateOf(extra.courseId)).toBe('open')
  const held = await world.db.select().from(grants).where(eq(grants.courseId, extra.courseId))
  expect(held.map(({ membersOf }) => membersOf !== null).sort()).toEqual([false, true])
})

it('what opens after its membership has ended is not announced as open', async () => {
  const from = addDays(await schoolDay(world.services), 40)
  const later = await forMembers([shelf.bundleId], { access: { from, lasts: 'whileMember', graceDays: 0 } })
  await buy(shelf, 5000)
  const { orderId } = (await buy({ ...extra, offerId: later }, 0, { payment: null })) as { orderId: string }
  await advance(world, 40)
  await announceAccess(world.services)
  const rows = await world.db
    .select()
    .from(messages)
    .where(and(eq(messages.orderId, orderId), eq(messages.kind, 'opened')))
  expect(rows).toHaveLength(1)
  const sent: string[] = []
  await sendMessage(world.services, rows[0]?.id as string, async ({ text }) => void sent.push(text))
  expect(sent).toEqual([])
})

it('an offer that is no longer for members lasts for good, and what was bought before does not change', async () => {
  const lasting = await forMembers([shelf.bundleId], { ...whileMember, audience: { who: 'everyone' } })
  await buy({ ...extra, offerId: lasting }, 0, { payment: null })
  const [grant] = await world.db.select().from(grants).where(eq(grants.offerId, lasting))
  expect(grant).toMatchObject({ closes: null, membersOf: null })
})
