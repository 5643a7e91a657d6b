import { and, asc, eq } from 'drizzle-orm'
import { expect, it } from 'vitest'
import { addDays } from '../../core/calendar/day.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { MONTHLY, WHILE_PAYING } from '../../testing/terms.ts'
import { messages, people, school } from '../db/schema/index.ts'
import { sendMessage } from '../messages/send.ts'
import { type School, schoolDay } from '../school/service.ts'
import { announceAccess, nextAnnouncement } from './announce.ts'

const world = ownWorld()
const DAY = 86_400_000
let buyers = 0

/** A course that somebody bought for 49 with an access of its own; its buyer, and the texts of what they are told of it. */
async function bought(access: object) {
  const email = `access${++buyers}@post.example`
  const course = await world.sell(4900, `Course ${buyers}`, { access: access as never })
  const { orderId } = await world.buy(course.slug, world.request(course.offerId, 4900, { email }), email)
  return { ...course, email, orderId, title: `Course ${buyers}` }
}

async function told(email: string, kind: 'opened' | 'ends-soon') {
  const rows = await world.db
    .select({ id: messages.id })
    .from(messages)
    .innerJoin(people, eq(people.id, messages.personId))
    .where(and(eq(people.email, email), eq(messages.kind, kind)))
    .orderBy(asc(messages.createdAt))
  const texts: string[] = []
  for (const { id } of rows) await sendMessage(world.services, id, async ({ text }) => void texts.push(text))
  return texts
}

/** Days go by, and the worker looks each day, and twice. */
async function days(count: number) {
  for (let day = 0; day < count; day++) {
    world.clock.offsetMs += DAY
    await Promise.all([announceAccess(world.services), announceAccess(world.services)])
  }
}

it('who bought before the day is told on it, once, with the way in and a link that sets a password', async () => {
  const from = addDays(await schoolDay(world.services), 5)
  const { email, slug, title } = await bought({ from, lasts: 'forever', graceDays: 0 })
  await days(4)
  expect(await told(email, 'opened')).toEqual([])
  await days(3)
  const [text, ...more] = await told(email, 'opened')
  expect(more).toEqual([])
  expect(text).toContain(`“${title}” is open from today on.`)
  expect(text).toContain(`${world.origin}/learn/${slug}`)
  expect(text).toContain('/password/')
})

it('who bought what opens at once is told of no opening', async () => {
  const { email } = await bought({ from: null, lasts: 'forever', graceDays: 0 })
  await days(3)
  expect(await told(email, 'opened')).toEqual([])
})

it('access of a limited time is said to end, so many days before as the school has set, and by another one that lasts not', async () => {
  const limited = { from: null, lasts: { count: 30, unit: 'day' }, graceDays: 0 }
  const one = await bought(limited)
  const both = await bought(limited)
  const lasting = await world.offer(both.courseId, 5900)
  await world.buy(
    both.slug,
    { ...world.request(lasting, 5900, { email: both.email }), isTold: true } as never,
    both.email,
  )
  await days(22)
  expect(await told(one.email, 'ends-soon')).toEqual([])
  await days(3)
  const texts = await told(one.email, 'ends-soon')
  expect(texts).toHaveLength(1)
  expect(texts[0]).toContain(`Access to “${one.title}” ends on`)
  expect(texts[0]).toContain(`/buy/${one.slug}?offer=${one.offerId}`)
  expect(await told(both.email, 'ends-soon')).toEqual([])
})

it('what goes on while it is paid, or is switched off, is not told', async () => {
  const email = 'club@post.example'
  const club = await world.sell(MONTHLY, 'Club', { access: WHILE_PAYING })
  await world.buy(club.slug, world.request(club.offerId, 1900, { email }), email)
  // Practice time does not stop for it either.
  const [ofSchool] = await world.db.select().from(school)
  const next = await nextAnnouncement(world.db, 'practice', ofSchool as School, await schoolDay(world.services))
  expect(next).toBeNull()
  await world.db.update(school).set({ endNoticeDays: 0 })
  const off = await bought({ from: null, lasts: { count: 20, unit: 'day' }, graceDays: 0 })
  await days(15)
  expect(await told(off.email, 'ends-soon')).toEqual([])
  await world.db.update(school).set({ endNoticeDays: 7 })
  await days(14)
  expect(await told(email, 'ends-soon')).toEqual([])
})
