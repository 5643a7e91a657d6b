import { and, asc, eq, isNull } from 'drizzle-orm'
import { beforeEach, expect, it } from 'vitest'
import { addDays, after, type Day } from '../../core/calendar/day.ts'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { advance } from '../../testing/overTime.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { MONTHLY, THREE_PARTS, WHILE_PAYING } from '../../testing/terms.ts'
import { shopper } from '../../testing/world.ts'
import { growBundle } from '../bundles/grow.ts'
import { getBundle, publishBundle, saveBundleDraft } from '../bundles/service.ts'
import { getCourse, openCourse, publishCourse, saveCourseDraft } from '../catalogue/service.ts'
import { courses, grants, messages, people } from '../db/schema/index.ts'
import { sendMessage } from '../messages/send.ts'
import { checkoutView } from '../pages/checkout.ts'
import { thanksView } from '../pages/service.ts'
import type { CheckoutView } from '../pages/views.ts'
import { hashToken } from '../platform/secrets.ts'
import { getSchool, schoolDay } from '../school/service.ts'
import { needsAttention } from '../support/attention.ts'
import { recordTransferReceived } from '../transfers/marks.ts'
import { announceAccess } from './announce.ts'
import { giveAccess } from './give.ts'
import { moveOpenings } from './openings.ts'

const world = ownWorld()
const YEAR = { from: null, lasts: { count: 1, unit: 'year' as const }, graceDays: 0 }
let n = 0
let today: Day
let soon: Day
let boxes: Awaited<ReturnType<typeof world.sell>>
let paper: typeof boxes
beforeEach(async () => {
  n++
  today = await schoolDay(world.services)
  soon = addDays(today, 30)
  boxes = await world.sell(7500, `Boxes ${n}`)
  paper = await world.sell(2400, `Paper ${n}`)
})

const email = (who: string) => `${who}${n}@openings.example`
const say = (day: Day) => formatDay(day, 'en')

/** Publishes a course with another day on which it opens, pressed twice at once; a worker does what follows, and another. */
async function opensOn({ courseId }: typeof boxes, opens: Day | null) {
  const { draft, draftRev } = await getCourse(world.db, courseId)
  const saved = await saveCourseDraft(world.services, courseId, draftRev, { ...draft, opens })
  await publishCourse(world.services, courseId, saved.draftRev, null)
  await Promise.all([moveOpenings(world.services), moveOpenings(world.services)])
}

async function buy(of: { slug: string; offerId: string }, pay: number, who: string, more: object = {}) {
  return world.buy(of.slug, world.request(of.offerId, pay, { email: email(who), ...more }), `${who}${n}`)
}

/** From when until when each course is open for who has it, by its title. */
async function days(who: string) {
  const rows = await world.db
    .select({ title: courses.draft, opens: grants.opens, closes: grants.closes })
    .from(grants)
    .innerJoin(courses, eq(courses.id, grants.courseId))
    .innerJoin(people, eq(people.id, grants.personId))
    .where(and(eq(people.email, email(who)), isNull(grants.endedAt)))
  return Object.fromEntries(rows.map(({ title, opens, closes }) => [title.title.split(' ')[0], [opens, closes]]))
}

async function told(who: string, kind: 'receipt' | 'opened' | 'opening-moved') {
  const rows = await world.db
    .select({ id: messages.id })
    .from(messages)
    .innerJoin(people, eq(people.id, messages.personId))
    .where(and(eq(people.email, email(who)), eq(messages.kind, kind)))
    .orderBy(asc(messages.createdAt))
  const texts: string[] = []
  for (const { id } of rows) await sendMessage(world.services, id, async ({ text }) => void texts.push(text))
  return texts
}

async function checkout(slug: string): Promise<CheckoutView> {
  const view = await checkoutView(world.services, await getSchool(world.db), slug, shopper('anyone'))
  if (view.name !== 'checkout') throw new Error(JSON.stringify(view))
  return view
}

it('nobody enters before the day of the course, by whichever offer or bundle they have it', async () => {
  await opensOn(boxes, soon)
  const early = await world.offer(boxes.courseId, 7000, {
    access: { from: addDays(today, 10), lasts: 'forever', graceDays: 0 },
  })
  const late = await world.offer(boxes.courseId, 6000, {
    access: { from: addDays(today, 60), lasts: 'forever', graceDays: 0 },
  })
  const bundle = await world.bundle([boxes.courseId, paper.courseId], 9000, `Shelf ${n}`)
  const all = await world.bundle(null, 9900, `Everything ${n}`)
  await buy(boxes, 7500, 'alone')
  await buy({ ...boxes, offerId: early }, 7000, 'early')
  await buy({ ...boxes, offerId: late }, 6000, 'late')
  await buy(bundle, 9000, 'bundle')
  await buy(all, 9900, 'all')
  expect(await days('alone')).toEqual({ Boxes: [soon, null] })
  expect(await days('early')).toEqual({ Boxes: [soon, null] })
  expect(await days('late')).toEqual({ Boxes: [addDays(today, 60), null] })
  expect(await days('bundle')).toEqual({ Boxes: [soon, null], Paper: [today, null] })
  expect(await days('all')).toMatchObject({ Boxes: [soon, null], Paper: [today, null] })
})

it('a span counts from there, course by course, also of what is paid over time and whatever is collected later', async () => {
  await opensOn(boxes, soon)
  const bundle = await world.bundle([boxes.courseId, paper.courseId], THREE_PARTS, `Shelf ${n}`, { access: YEAR })
  const { orderId } = await buy(bundle, 4300, 'ada')
  const year = (day: Day) => after(day, 1, YEAR.lasts)
  const whole = { Boxes: [soon, year(soon)], Paper: [today, year(today)] }
  expect(await days('ada')).toEqual(whole)
  await advance(world, 31)
  expect(await days('ada')).toEqual(whole)
  const plans = await world.db.select().from(grants).where(eq(grants.orderId, orderId))
  expect(plans).toHaveLength(2)
})

it('before paying and after, it is said what opens when, and what is paid for and lost', async () => {
  await opensOn(boxes, soon)
  const bundle = await world.bundle([boxes.courseId, paper.courseId], MONTHLY, `Shelf ${n}`, { access: WHILE_PAYING })
  const { opening, quote } = (await checkout(bundle.slug)).offers[0] as CheckoutView['offers'][number]
  expect(opening).toEqual({
    opens: today,
    closes: null,
    isWhileMember: false,
    count: 2,
    first: 1,
    notes: [
      `“Boxes ${n}” opens on ${formatDay(soon, 'en', today.slice(0, 4))}.`,
      'Your payments start today. Days before the opening are not refunded.',
    ],
  })
  // Payments and paid-through days count from the purchase.
  expect(quote.lines[0]).toMatchObject({ opens: today })
  const { orderId } = await buy(bundle, 1900, 'ada')
  const view = await thanksView(world.services, orderId, { ...shopper('x'), browserHash: hashToken(`ada${n}`) })
  expect(view).toMatchObject({
    bought: [
      {
        opens: today,
        isOpen: true,
        courses: [
          { title: `Boxes ${n}`, opens: soon, isOpen: false },
          { title: `Paper ${n}`, opens: today, isOpen: true },
        ],
      },
    ],
  })
  const [receipt] = await told('ada', 'receipt')
  expect(receipt).toContain(`“Boxes ${n}” opens on ${say(soon)}; we will write to you then.`)
  expect(receipt).toContain(`/learn/${paper.slug}`)
  expect(receipt).not.toContain(`/learn/${boxes.slug}`)
})

it('the quote of one course has its day, of a subscription it has not', async () => {
  await opensOn(boxes, soon)
  const monthly = await world.offer(boxes.courseId, MONTHLY, { access: WHILE_PAYING })
  const { offers } = await checkout(boxes.slug)
  const of = (id: string) => offers.find((offer) => offer.id === id)
  expect(of(boxes.offerId)?.quote.lines[0]?.opens).toBe(soon)
  expect(of(monthly)?.quote.lines[0]?.opens).toBe(today)
  expect(of(monthly)?.opening).toMatchObject({
    opens: soon,
    notes: [expect.stringContaining('Your payments start today.')],
  })
  await buy({ ...boxes, offerId: monthly }, 1900, 'ada')
  const paidThrough = addDays(after(today, 1, { count: 1, unit: 'month' }), WHILE_PAYING.graceDays)
  expect(await days('ada')).toEqual({ Boxes: [soon, paidThrough] })
})

it('a moved day moves what is not open yet, with its span, tells its buyers once, and leaves alone what is open', async () => {
  const bundle = await world.bundle([boxes.courseId, paper.courseId], 9000, `Shelf ${n}`, { access: YEAR })
  await buy(boxes, 7500, 'before')
  await opensOn(boxes, soon)
  await buy(bundle, 9000, 'ada')
  const year = (day: Day) => after(day, 1, YEAR.lasts)
  expect((await openCourse(world.services, boxes.courseId)).waiting).toEqual({ live: 0, practice: 1 })
  const later = addDays(today, 45)
  await opensOn(boxes, later)
  expect(await days('before')).toEqual({ Boxes: [today, null] })
  expect(await days('ada')).toEqual({ Boxes: [later, year(later)], Paper: [today, year(today)] })
  const texts = await told('ada', 'opening-moved')
  expect(texts).toHaveLength(1)
  expect(texts[0]).toContain(`The opening day of “Boxes ${n}” has changed: it now opens on ${say(later)}.`)
  expect(texts[0]).toContain(`It is then open until ${say(year(later))}.`)
  expect(await told('before', 'opening-moved')).toEqual([])

  // Without a day it opens at once, which is told as an opening, with the way in.
  await advance(world, 3)
  await opensOn(boxes, null)
  const now = addDays(today, 3)
  expect(await days('ada')).toEqual({ Boxes: [now, year(now)], Paper: [today, year(today)] })
  await announceAccess(world.services)
  // Nothing is left to be sent of it.
  expect(await told('ada', 'opening-moved')).toEqual([])
  expect((await told('ada', 'opened'))[0]).toContain(`/learn/${boxes.slug}`)
  // What has opened stays so.
  await opensOn(boxes, addDays(today, 90))
  expect(await days('ada')).toMatchObject({ Boxes: [now, year(now)] })
})

it('a later first day of an offer stays, and comes back once the course’s day is earlier', async () => {
  await opensOn(boxes, addDays(today, 60))
  const from = addDays(today, 20)
  const late = await world.offer(boxes.courseId, 6000, { access: { from, lasts: 'forever', graceDays: 0 } })
  await buy({ ...boxes, offerId: late }, 6000, 'ada')
  expect(await days('ada')).toEqual({ Boxes: [addDays(today, 60), null] })
  await opensOn(boxes, addDays(today, 10))
  expect(await days('ada')).toEqual({ Boxes: [from, null] })
})

it('a day that is moved behind the end of an access is told as that, and stands under attention', async () => {
  await opensOn(boxes, soon)
  const access = { from: null, lasts: { until: addDays(today, 40) }, graceDays: 0 }
  const bundle = await world.bundle([boxes.courseId, paper.courseId], 9000, `Shelf ${n}`, { access })
  const { orderId } = await buy(bundle, 9000, 'ada')
  await opensOn(boxes, addDays(today, 50))
  const [text] = await told('ada', 'opening-moved')
  expect(text).toContain(
    `it now opens on ${say(addDays(today, 50))}, after your access ends on ${say(addDays(today, 40))}.`,
  )
  expect(text).not.toContain('It is then open until')
  const items = await needsAttention(world.services, 'practice')
  expect(items.filter((item) => item.orderId === orderId).map(({ kind }) => kind)).toContain('paid-too-late')
})

it('an order that waits for its money opens on the day that holds when it comes', async () => {
  const { transfer } = await world.connectOthers()
  const { orderId } = await buy(boxes, 7500, 'ada', { payment: { connectionId: transfer, token: '' } })
  await opensOn(boxes, soon)
  await recordTransferReceived(world.services, 'practice', orderId, { amount: 7500, day: today, note: '' })
  expect(await days('ada')).toEqual({ Boxes: [soon, null] })
})

it('what opens when its access is over is named as not included, weighs nothing, and blocks nothing', async () => {
  await opensOn(boxes, soon)
  const access = { from: null, lasts: { until: soon }, graceDays: 0 }
  const bundle = await world.bundle([boxes.courseId, paper.courseId], 9000, `Shelf ${n}`, { access })
  const { opening, quote } = (await checkout(bundle.slug)).offers[0] as CheckoutView['offers'][number]
  expect(opening).toMatchObject({ count: 1, notes: [expect.stringContaining('is not included')] })
  expect(quote.lines[0]?.shares.map(({ course, amount }) => [course, amount])).toEqual([[paper.courseId, 9000]])
  await buy(bundle, 9000, 'ada')
  expect(await days('ada')).toEqual({ Paper: [today, soon] })
  // Nothing of it can be sold where it would open nothing.
  await opensOn(paper, soon)
  const view = await checkoutView(world.services, await getSchool(world.db), bundle.slug, shopper('anyone'))
  expect(view).toMatchObject({ name: 'notice', status: 410 })
  await expect(buy(bundle, 9000, 'bea')).rejects.toMatchObject({ status: 410 })
})

it('a course that joins a bundle opens on its day for those who have it, and not where their access has ended by then', async () => {
  const bundle = await world.bundle([paper.courseId, boxes.courseId], 9000, `Shelf ${n}`)
  const short = await world.offer(bundle.bundleId, 8000, {
    access: { from: null, lasts: { count: 10, unit: 'day' }, graceDays: 0 },
  })
  await buy(bundle, 9000, 'ada')
  await buy({ ...bundle, offerId: short }, 8000, 'bea')
  const stab = await world.sell(3000, `Stab ${n}`)
  await opensOn(stab, soon)
  const { draft, draftRev } = await getBundle(world.db, bundle.bundleId)
  const grown = { ...draft, courses: [...draft.courses, { id: stab.courseId, figure: 5000 }] }
  const saved = await saveBundleDraft(world.services, bundle.bundleId, draftRev, grown)
  world.queue.length = 0
  await publishBundle(world.services, bundle.bundleId, saved.draftRev, null, {
    opens: true,
    closes: false,
    notifies: true,
  })
  for (const { name, data } of [...world.queue]) {
    if (name === 'bundle-grow') await growBundle(world.services, (data as { growthId: string }).growthId)
  }
  expect(await days('ada')).toMatchObject({ Stab: [soon, null] })
  expect(Object.keys(await days('bea')).sort()).toEqual(['Boxes', 'Paper'])
  await opensOn(stab, addDays(today, 5))
  expect(await days('ada')).toMatchObject({ Stab: [addDays(today, 5), null] })
})

it('what is given by hand opens with its course, or on the day that was chosen', async () => {
  await opensOn(boxes, soon)
  await buy(paper, 2400, 'ada')
  const [person] = await world.db
    .select()
    .from(people)
    .where(eq(people.email, email('ada')))
  const id = person?.id as string
  await giveAccess(world.services, id, { courseIds: [boxes.courseId] })
  expect(await days('ada')).toMatchObject({ Boxes: [soon, null] })
  await opensOn(boxes, addDays(today, 40))
  expect(await days('ada')).toMatchObject({ Boxes: [addDays(today, 40), null] })
  // A first day that was chosen holds, also where access is given for longer afterwards.
  await giveAccess(world.services, id, {
    courseIds: [boxes.courseId],
    from: addDays(today, 5),
    until: addDays(today, 60),
  })
  await giveAccess(world.services, id, { courseIds: [boxes.courseId] })
  await moveOpenings(world.services)
  expect(await days('ada')).toMatchObject({ Boxes: [addDays(today, 5), null] })
  await giveAccess(world.services, id, { courseIds: [boxes.courseId], from: today })
  expect(await days('ada')).toMatchObject({ Boxes: [today, null] })
  await opensOn(boxes, addDays(today, 50))
  expect(await days('ada')).toMatchObject({ Boxes: [today, null] })
  await buy(paper, 2400, 'bea')
  const [bea] = await world.db
    .select()
    .from(people)
    .where(eq(people.email, email('bea')))
  await expect(
    giveAccess(world.services, bea?.id as string, { courseIds: [boxes.courseId], until: soon }),
  ).rejects.toMatchObject({ status: 422 })
})
