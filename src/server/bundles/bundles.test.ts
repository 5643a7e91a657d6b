import { and, asc, eq, isNull } from 'drizzle-orm'
import { beforeEach, describe, expect, it } from 'vitest'
import { split } from '../../core/money/arithmetic.ts'
import { advance, work } from '../../testing/overTime.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { MONTHLY, THREE_PARTS, WHILE_PAYING } from '../../testing/terms.ts'
import { shopper } from '../../testing/world.ts'
import { takeBack } from '../access/close.ts'
import { accessDecisionOn } from '../access/decision.ts'
import { grantsOf } from '../access/service.ts'
import { explainGrants } from '../access/why.ts'
import { readAgreement } from '../agreements/agreements.ts'
import { createCourse, deleteCourse, openCourse, publishCourse, setCourseRetired } from '../catalogue/service.ts'
import { cancelAgreement } from '../collecting/actions.ts'
import { manualPaymentOn, payManually } from '../collecting/manualPayment.ts'
import {
  agreements,
  bundleGrowths,
  courses,
  grants,
  journal,
  lineCourses,
  messages,
  offers,
  orderLines,
  people,
  school,
} from '../db/schema/index.ts'
import { Problem } from '../http/problem.ts'
import { sendMessage } from '../messages/send.ts'
import { createOffer, openOffer } from '../offers/service.ts'
import { checkoutView } from '../pages/checkout.ts'
import { bundleView, schoolView, thanksView } from '../pages/service.ts'
import { hashToken } from '../platform/secrets.ts'
import { refundLine } from '../refunds/service.ts'
import { getSchool, schoolDay } from '../school/service.ts'
import { listOrders, openOrder } from '../support/orders.ts'
import { recordTransferReceived } from '../transfers/marks.ts'
import { growBundle, resumeGrowths } from './grow.ts'
import { getBundle, openBundle, publishBundle, saveBundleDraft } from './service.ts'

const world = ownWorld()
type Sold = Awaited<ReturnType<typeof world.sell>>
let n = 0
let coptic: Sold
let marbling: Sold
let stab: Sold
let bundle: Awaited<ReturnType<typeof world.bundle>>
beforeEach(async () => {
  n++
  coptic = await world.sell(12_900, `Coptic ${n}`)
  marbling = await world.sell(2400, `Marbling ${n}`)
  stab = await world.sell(7900, `Stab ${n}`)
  bundle = await world.bundle([coptic.courseId, marbling.courseId], 9900, `Shelf ${n}`)
})

const email = (who = 'ada') => `${who}${n}@bundles.example`
const buy = (who = 'ada') =>
  world.buy(bundle.slug, world.request(bundle.offerId, 9900, { email: email(who) }), `${who}${n}`)
const personOf = async (who = 'ada') => {
  const [person] = await world.db
    .select()
    .from(people)
    .where(eq(people.email, email(who)))
  if (!person) throw new Error('nobody')
  return person
}
const openTo = async (courseId: string, who = 'ada') => {
  const person = await personOf(who)
  const held = await grantsOf(world.services, { mode: 'practice', person, browserHash: null }, courseId)
  return accessDecisionOn(await schoolDay(world.services), held).state
}
const lineOf = async (orderId: string) => {
  const [line] = await world.db.select().from(orderLines).where(eq(orderLines.orderId, orderId))
  if (!line) throw new Error('no line')
  return line
}
const weightsOf = async (lineId: string) =>
  (
    await world.db.select().from(lineCourses).where(eq(lineCourses.lineId, lineId)).orderBy(asc(lineCourses.position))
  ).map(({ weight }) => weight)
/** Publishes the bundle with other courses. */
const change = async (ids: string[], forHolders: Parameters<typeof publishBundle>[4]) => {
  const { draft, draftRev } = await getBundle(world.db, bundle.bundleId)
  const next = { ...draft, courses: ids.map((id) => ({ id, figure: null })) }
  const saved = await saveBundleDraft(world.services, bundle.bundleId, draftRev, next)
  await publishBundle(world.services, bundle.bundleId, saved.draftRev, null, forHolders)
}
const growths = () =>
  world.db
    .select()
    .from(bundleGrowths)
    .where(eq(bundleGrowths.bundleId, bundle.bundleId))
    .orderBy(bundleGrowths.createdAt)
const grow = async (turns?: number) => {
  for (const { id, finishedAt } of await growths()) if (!finishedAt) await growBundle(world.services, id, turns)
}
const problem = async (call: Promise<unknown>) => {
  const error = await call.then(
    () => null,
    (thrown: unknown) => thrown,
  )
  if (!(error instanceof Problem)) throw new Error(`no problem: ${String(error)}`)
  return error
}
const stranger = { mode: 'practice', person: null, browserHash: null } as const

describe('a bundle that is bought', () => {
  it('opens every course, once, and says where each is', async () => {
    const { orderId } = await buy()
    expect((await world.grantsOf(orderId)).map(({ courseId }) => courseId).sort()).toEqual(
      [coptic.courseId, marbling.courseId].sort(),
    )
    const view = await thanksView(world.services, orderId, { ...stranger, browserHash: hashToken(`ada${n}`) })
    expect(view).toMatchObject({
      bought: [
        {
          product: { kind: 'bundle', title: `Shelf ${n}` },
          courses: [
            { title: `Coptic ${n}`, slug: coptic.slug },
            { title: `Marbling ${n}`, slug: marbling.slug },
          ],
        },
      ],
    })
  })

  it('is split by what the courses cost alone when it was ordered', async () => {
    await world.reprice(coptic.offerId, 10_000)
    const first = await lineOf((await buy()).orderId)
    await world.reprice(coptic.offerId, 50_000)
    expect(await weightsOf(first.id)).toEqual([10_000, 2400])
    expect(first.quoted.shares.map(({ amount }) => amount)).toEqual(split(9900, [10_000, 2400]))
  })

  it('weighs a course without a price by the creator’s figure', async () => {
    await world.db.update(offers).set({ onSale: false }).where(eq(offers.id, marbling.offerId))
    const missing = await problem(change([coptic.courseId, marbling.courseId], null))
    expect(missing.errors.map(({ at }) => at)).toEqual(['/courses/1/figure'])
    const { draft, draftRev } = await getBundle(world.db, bundle.bundleId)
    const figured = {
      ...draft,
      courses: draft.courses.map((course, at) => ({ ...course, figure: at === 1 ? 700 : null })),
    }
    const saved = await saveBundleDraft(world.services, bundle.bundleId, draftRev, figured)
    await publishBundle(world.services, bundle.bundleId, saved.draftRev, null, null)
    expect(await weightsOf((await lineOf((await buy()).orderId)).id)).toEqual([12_900, 700])
  })

  it('is found by its course, and by itself', async () => {
    const { orderId } = await buy()
    for (const id of [bundle.bundleId, coptic.courseId]) {
      const { orders } = await listOrders(
        world.services,
        'practice',
        { search: '', state: 'all', course: id },
        undefined,
      )
      expect(orders.map((order) => order.id)).toContain(orderId)
    }
    const other = { search: '', state: 'all', course: stab.courseId } as const
    expect((await listOrders(world.services, 'practice', other, undefined)).orders).toEqual([])
  })
})

describe('what the shop says of it', () => {
  it('is what it holds and truly saves', async () => {
    const school = await getSchool(world.db)
    const view = await bundleView(world.services, school, bundle.slug, stranger)
    expect(view).toMatchObject({
      name: 'bundle',
      courses: [{ price: '€129.00' }, { price: '€24.00' }],
      saving: 'One by one the courses cost €153.00: you save €54.00 (35%).',
      isOwned: false,
    })
    await world.db.update(offers).set({ onSale: false }).where(eq(offers.id, marbling.offerId))
    expect(await bundleView(world.services, school, bundle.slug, stranger)).toMatchObject({
      courses: [{ price: '€129.00' }, { price: null }],
      saving: null,
    })
    const shop = await schoolView(world.services, school)
    const card =
      shop.name === 'school' &&
      shop.sections.flatMap(({ products }) => products).find(({ slug }) => slug === bundle.slug)
    expect(card).toMatchObject({ kind: 'bundle', price: '€99', note: null })
  })

  it('names the courses that a signed-in buyer has, and lets them go on', async () => {
    await world.buy(coptic.slug, world.request(coptic.offerId, 12_900, { email: email() }), `ada${n}`)
    const visitor = { ...stranger, person: await personOf() }
    const school = await getSchool(world.db)
    const view = await checkoutView(world.services, school, bundle.slug, visitor)
    expect(view).toMatchObject({ isOwned: false, gets: [`Coptic ${n}`, `Marbling ${n}`] })
    expect(view.name === 'checkout' && view.held?.says).toContain(`You have “Coptic ${n}” of this already.`)
    // An unverified email learns nothing.
    const typed = await problem(
      world.buy(bundle.slug, world.request(bundle.offerId, 9900, { email: email() }), 'other'),
    )
    expect([typed.code, typed.message.includes('Coptic')]).toEqual(['not-with-this-email', false])
  })
})

describe('access by a bundle', () => {
  it('of a subscription closes what only it held, when it lapses', async () => {
    const club = await world.bundle([coptic.courseId, marbling.courseId], MONTHLY, `Club ${n}`, {
      access: WHILE_PAYING,
    })
    const order = await world.buy(club.slug, world.request(club.offerId, 1900, { email: email() }), `ada${n}`)
    const person = await personOf()
    const visitor = { ...shopper(`ada${n}`), person: { ...person, isTold: true } }
    const agreement = (await openOrder(world.services, 'practice', order.orderId)).agreements[0]
    await cancelAgreement(world.services, agreement?.id as string, 'period-end', 'creator')
    // One course is bought beside it for good.
    const request = { ...world.request(marbling.offerId, 2400, { email: email() }), isTold: true }
    const { orderId } = await world.buy(marbling.slug, request, `ada${n}`)
    expect(visitor.person.id).toBe((await world.orderOf(orderId))?.personId)
    await advance(world, 40)
    expect([await openTo(coptic.courseId), await openTo(marbling.courseId)]).toEqual(['closed', 'open'])
    // Both stand where it is asked why.
    const why = await explainGrants(world.services, { personId: person.id })
    expect(why.filter(({ courseId }) => courseId === marbling.courseId)).toHaveLength(2)
  })

  it('can be taken back for one course; with the last, all that was agreed ends', async () => {
    const { orderId } = await buy()
    const held = await world.grantsOf(orderId)
    await takeBack(world.services, 'practice', held[0]?.id as string, 'a mistake')
    expect((await world.grantsOf(orderId)).map(({ endedAt }) => endedAt === null).sort()).toEqual([false, true])
    const left = (await world.grantsOf(orderId)).find(({ endedAt }) => endedAt === null)
    await takeBack(world.services, 'practice', left?.id as string, 'both')
    expect((await world.grantsOf(orderId)).every(({ endedAt }) => endedAt !== null)).toBe(true)
    expect((await problem(takeBack(world.services, 'practice', left?.id as string, 'again'))).code).toBe('ended')
    await expect(takeBack(world.services, 'live', left?.id as string, '')).rejects.toMatchObject({ status: 404 })
  })
})

describe('a refund of one course of a bundle', () => {
  it('closes that course alone, by its share or another amount within what was paid', async () => {
    const { orderId } = await buy()
    const line = await lineOf(orderId)
    const [share] = split(9900, [2400, 12_900])
    await refundLine(world.services, 'practice', orderId, {
      lineId: line.id,
      amount: share as number,
      courseIds: [marbling.courseId],
      access: 'close',
      note: 'not for me',
    })
    expect([await openTo(coptic.courseId), await openTo(marbling.courseId)]).toEqual(
      ['open', 'closed'].map((state) => (state === 'closed' ? 'no-grant' : state)),
    )
    const order = await openOrder(world.services, 'practice', orderId)
    expect(order.refunds).toMatchObject([{ amount: share, courseIds: [marbling.courseId], state: 'refunded' }])
    expect(order.lines[0]?.courses.map(({ title }) => title)).toEqual([`Coptic ${n}`, `Marbling ${n}`])
    const [notified] = await world.db
      .select()
      .from(messages)
      .where(and(eq(messages.kind, 'refunded'), eq(messages.orderId, orderId)))
    const sent: string[] = []
    await sendMessage(world.services, notified?.id as string, async ({ text }) => void sent.push(text))
    expect(sent[0]).toContain(`Marbling ${n}`)
    expect(sent[0]).not.toContain(`Coptic ${n}`)
    // It was paid at once: there is nothing that could go on, or end.
    expect(sent[0]).toContain('Access to the course has ended.')
  })

  it('is refused of a course that is not in it, and above what is left', async () => {
    const { orderId } = await buy()
    const line = await lineOf(orderId)
    const asked = { lineId: line.id, amount: 100, access: 'keep' as const, note: 'x' }
    const wrong = await problem(
      refundLine(world.services, 'practice', orderId, { ...asked, courseIds: [stab.courseId] }),
    )
    expect(wrong.errors.map(({ at }) => at)).toEqual(['/courseIds'])
    // Beside one that is in it, too.
    const both = { ...asked, courseIds: [coptic.courseId, stab.courseId] }
    expect((await problem(refundLine(world.services, 'practice', orderId, both))).errors.map(({ at }) => at)).toEqual([
      '/courseIds',
    ])
    const much = refundLine(world.services, 'practice', orderId, {
      ...asked,
      amount: 9901,
      courseIds: [coptic.courseId],
    })
    expect((await problem(much)).errors.map(({ at }) => at)).toEqual(['/amount'])
  })

  it('leaves what is agreed as it is, until the last course goes', async () => {
    const club = await world.bundle([coptic.courseId, marbling.courseId], MONTHLY, `Club ${n}`, {
      access: WHILE_PAYING,
    })
    const { orderId } = await world.buy(club.slug, world.request(club.offerId, 1900, { email: email() }), `ada${n}`)
    const { id: lineId } = await lineOf(orderId)
    const back = (courseId: string, amount: number) =>
      refundLine(world.services, 'practice', orderId, {
        lineId,
        amount,
        courseIds: [courseId],
        access: 'close',
        note: 'x',
      })
    const state = async () => (await openOrder(world.services, 'practice', orderId)).agreements[0]?.state
    await back(marbling.courseId, 300)
    expect(await state()).toBe('active')
    await back(coptic.courseId, 300)
    expect(await state()).toBe('cancelled')
  })
})

describe('a bundle that grows', () => {
  const withStab = () => [coptic.courseId, marbling.courseId, stab.courseId]

  it('asks what that means for those who have it, and does nothing before', async () => {
    await buy()
    const refused = await problem(change(withStab(), null))
    expect([refused.code, refused.errors.map(({ at }) => at)]).toEqual(['for-holders', ['/forHolders']])
    expect((await openBundle(world.services, bundle.bundleId)).opened).toHaveLength(2)
  })

  it('for new buyers only: old ones keep what they have', async () => {
    await buy()
    await change(withStab(), { opens: false, closes: false, notifies: false })
    await grow()
    await buy('bob')
    expect([await openTo(stab.courseId), await openTo(stab.courseId, 'bob')]).toEqual(['no-grant', 'open'])
  })

  it('for those who have it too: once each, with weight 0, whatever ends in between', async () => {
    const orders = [await buy('ada'), await buy('bob'), await buy('eve')]
    await change(withStab(), { opens: true, closes: false, notifies: true })
    expect(await openTo(stab.courseId)).toBe('no-grant')
    // Two workers at once, and one that is asked again.
    const id = (await growths())[0]?.id as string
    await Promise.all([growBundle(world.services, id), growBundle(world.services, id)])
    await growBundle(world.services, id)
    for (const who of ['ada', 'bob', 'eve']) expect(await openTo(stab.courseId, who)).toBe('open')
    for (const { orderId } of orders) {
      expect(await world.db.$count(grants, and(eq(grants.orderId, orderId), eq(grants.courseId, stab.courseId)))).toBe(
        1,
      )
      expect(await weightsOf((await lineOf(orderId)).id)).toEqual([12_900, 2400, 0])
      const notified = and(eq(messages.orderId, orderId), eq(messages.kind, 'bundle-grew'))
      expect(await world.db.$count(messages, notified)).toBe(1)
      const noted = await world.db.select().from(journal).where(eq(journal.orderId, orderId))
      expect(noted.filter(({ what, data }) => what === 'course-opened' && data.course === `Stab ${n}`)).toHaveLength(1)
    }
    expect(await growths()).toMatchObject([{ total: 3, done: 3, what: 'joins' }])
    expect((await openBundle(world.services, bundle.bundleId)).growths).toMatchObject([
      { course: `Stab ${n}`, done: 3, total: 3 },
    ])
  })

  it('writes to them where the course is', async () => {
    const { orderId } = await buy()
    await change(withStab(), { opens: true, closes: false, notifies: true })
    await grow()
    const [notified] = await world.db
      .select()
      .from(messages)
      .where(and(eq(messages.orderId, orderId), eq(messages.kind, 'bundle-grew')))
    const sent: { subject: string; text: string }[] = []
    await sendMessage(world.services, notified?.id as string, async (email) => void sent.push(email))
    expect(sent[0]?.subject).toBe(`Stab ${n} is yours too`)
    expect(sent[0]?.text).toContain(`“Stab ${n}” was added to “Shelf ${n}”`)
    expect(sent[0]?.text).toContain(`/learn/${stab.slug}`)
  })

  it('not for who was refunded in whole, or whose access ended; an order that waits gets it when it is paid', async () => {
    const { transfer } = await world.connectOthers()
    const gone = await buy('gone')
    const line = await lineOf(gone.orderId)
    await refundLine(world.services, 'practice', gone.orderId, {
      lineId: line.id,
      amount: 9900,
      access: 'keep',
      note: 'kept by kindness',
    })
    await buy('bob')
    const waiting = await world.buy(
      bundle.slug,
      world.request(bundle.offerId, 9900, { email: email('wait'), payment: { connectionId: transfer, token: '' } }),
      `wait${n}`,
    )
    await change(withStab(), { opens: true, closes: false, notifies: false })
    await grow()
    expect([await openTo(stab.courseId, 'gone'), await openTo(stab.courseId, 'bob')]).toEqual(['no-grant', 'open'])
    const day = await schoolDay(world.services)
    await recordTransferReceived(world.services, 'practice', waiting.orderId, { amount: 9900, day, note: '' })
    expect(await openTo(stab.courseId, 'wait')).toBe('open')
    expect(await weightsOf((await lineOf(waiting.orderId)).id)).toEqual([12_900, 2400, 0])
  })

  it('for who is late with a payment too: it opens with the rest when they have paid, and not for who left', async () => {
    const monthly = await world.bundle([coptic.courseId, marbling.courseId], MONTHLY, `Monthly ${n}`, {
      access: WHILE_PAYING,
    })
    const subscribe = async (who: string, card: string) => {
      const { orderId } = await world.buy(
        monthly.slug,
        world.request(monthly.offerId, 1900, { email: email(who) }, card),
        `${who}${n}`,
      )
      const [agreed] = await world.db.select().from(agreements).where(eq(agreements.orderId, orderId))
      return agreed?.id as string
    }
    const late = await subscribe('late', 'pays-once')
    await cancelAgreement(world.services, await subscribe('left', 'pays'), 'period-end', 'buyer')
    bundle = monthly
    // A month, the grace of three days, and one more.
    await advance(world, 35)
    expect([await openTo(coptic.courseId, 'late'), await openTo(coptic.courseId, 'left')]).toEqual(['closed', 'closed'])
    await change(withStab(), { opens: true, closes: false, notifies: false })
    await grow()
    expect([await openTo(stab.courseId, 'late'), await openTo(stab.courseId, 'left')]).toEqual(['closed', 'no-grant'])
    const { agreement } = await readAgreement(world.db, late)
    const asked = manualPaymentOn(agreement, await schoolDay(world.services))
    if (!asked) throw new Error('Nothing is late.')
    const byCard = { connectionId: world.connectionId, token: world.standins.tokenOf('pays') }
    await payManually(world.services, late, { ...byCard, ...asked })
    expect([await openTo(stab.courseId, 'late'), await openTo(coptic.courseId, 'late')]).toEqual(['open', 'open'])
  })

  it('for who owes of a plan it is paused as the rest is', async () => {
    const inParts = await world.bundle([coptic.courseId, marbling.courseId], THREE_PARTS, `In parts ${n}`)
    const { orderId } = await world.buy(
      inParts.slug,
      world.request(inParts.offerId, 4300, { email: email('owes') }, 'pays-once'),
      `owes${n}`,
    )
    bundle = inParts
    await advance(world, 35)
    await change(withStab(), { opens: true, closes: false, notifies: false })
    await grow()
    const grants = await world.grantsOf(orderId)
    expect(grants).toHaveLength(3)
    expect(new Set(grants.map(({ suspendedFrom }) => suspendedFrom)).size).toBe(1)
    expect(grants[0]?.suspendedFrom).not.toBeNull()
    expect(await openTo(stab.courseId, 'owes')).toBe('closed')
  })

  it('opens as long as the bundle is open, and shuts with it', async () => {
    const access = { from: null, lasts: { count: 30, unit: 'day' }, graceDays: 0 } as const
    const month = await world.bundle([coptic.courseId, marbling.courseId], 5000, `Month ${n}`, { access })
    await world.buy(month.slug, world.request(month.offerId, 5000, { email: email() }), `ada${n}`)
    bundle = month
    await advance(world, 20)
    await change(withStab(), { opens: true, closes: false, notifies: false })
    await grow()
    expect(await openTo(stab.courseId)).toBe('open')
    await advance(world, 11)
    expect([await openTo(stab.courseId), await openTo(coptic.courseId)]).toEqual(['closed', 'closed'])
  })

  it('goes on where it was left, and is taken up again where its job was lost', async () => {
    await buy('ada')
    await change(withStab(), { opens: true, closes: false, notifies: false })
    world.queue.length = 0
    await resumeGrowths(world.services)
    expect(world.queue.filter(({ name }) => name === 'bundle-grow')).toHaveLength(1)
    await grow()
    world.queue.length = 0
    await resumeGrowths(world.services)
    expect(world.queue).toEqual([])
  })
})

describe('a course that leaves a bundle', () => {
  it('stays with those who have it, unless the creator says otherwise; then it comes back with the course', async () => {
    await buy()
    await change([coptic.courseId, stab.courseId], { opens: false, closes: false, notifies: false })
    expect(await openTo(marbling.courseId)).toBe('open')
    await change([coptic.courseId, marbling.courseId], { opens: false, closes: false, notifies: false })
    await change([coptic.courseId, stab.courseId], { opens: false, closes: true, notifies: false })
    await grow()
    expect(await openTo(marbling.courseId)).toBe('no-grant')
    await change([coptic.courseId, marbling.courseId], { opens: true, closes: false, notifies: false })
    await grow()
    expect(await openTo(marbling.courseId)).toBe('open')
  })

  it('that was refunded stays shut when it comes back to its bundle', async () => {
    const { orderId } = await buy()
    const refund = { amount: 100, courseIds: [marbling.courseId], access: 'close' as const, note: 'asked' }
    await refundLine(world.services, 'practice', orderId, { lineId: (await lineOf(orderId)).id, ...refund })
    expect([await openTo(marbling.courseId), await openTo(coptic.courseId)]).toEqual(['no-grant', 'open'])
    await change([coptic.courseId, stab.courseId], { opens: false, closes: true, notifies: false })
    await grow()
    await change([coptic.courseId, marbling.courseId], { opens: true, closes: false, notifies: false })
    await grow()
    expect([await openTo(marbling.courseId), await openTo(coptic.courseId)]).toEqual(['no-grant', 'open'])
  })

  it('cannot be retired without saying what happens to it there, nor deleted', async () => {
    const third = await world.bundle([coptic.courseId, marbling.courseId, stab.courseId], 100, `Third ${n}`)
    await setCourseRetired(world.services, stab.courseId, false)
    const asked = await problem(setCourseRetired(world.services, stab.courseId, true))
    expect([asked.code, asked.message]).toEqual(['in-bundles', expect.stringContaining(`“Third ${n}”`)])
    expect((await problem(deleteCourse(world.services, stab.courseId))).code).toBe('in-bundles')
    await setCourseRetired(world.services, stab.courseId, true, 'keep')
    expect((await openBundle(world.services, third.bundleId)).opened).toHaveLength(3)
    await setCourseRetired(world.services, stab.courseId, false)
    await setCourseRetired(world.services, stab.courseId, true, 'take-out')
    const { opened, draft, live } = await openBundle(world.services, third.bundleId)
    expect([opened, draft.courses.length, live?.courses.length]).toEqual([[coptic.courseId, marbling.courseId], 2, 2])
    const few = await problem(setCourseRetired(world.services, coptic.courseId, true, 'take-out'))
    expect([few.code, few.message]).toEqual(['in-bundles', expect.stringContaining('fewer than 2 courses')])
    expect((await world.db.select().from(courses).where(eq(courses.id, coptic.courseId)))[0]?.retiredAt).toBeNull()
  })
})

describe('a bundle of all courses', () => {
  it('holds what is published, and opens what is published later for everybody who has it', async () => {
    const all = await world.bundle(null, 50_000, `Everything ${n}`)
    bundle = all
    const { orderId } = await world.buy(all.slug, world.request(all.offerId, 50_000, { email: email() }), `ada${n}`)
    const published = await world.db.$count(courses, isNull(courses.retiredAt))
    expect(await world.grantsOf(orderId)).toHaveLength(published)
    const { id } = await createCourse(world.services, `Later ${n}`)
    expect(await openTo(id)).toBe('no-grant')
    // Publishing an offer of it takes it along, and says for whom it opens as its own publishing does.
    const offer = await createOffer(world.services, id)
    const joins = (of: { opensFor: { id: string }[] }) => of.opensFor.find((one) => one.id === all.bundleId)
    const said = joins(await openCourse(world.services, id))
    expect(said).toMatchObject({ title: `Everything ${n}`, holders: { live: 0, practice: 1 } })
    expect(joins((await openOffer(world.services, offer.id, 'practice')).product)).toEqual(said)
    await publishCourse(world.services, id, 1, null)
    await grow()
    expect(await openTo(id)).toBe('open')
    // What is retired is not sold with it any more, and stays with who has it.
    await setCourseRetired(world.services, id, true)
    expect((await openBundle(world.services, all.bundleId)).opened).not.toContain(id)
    await grow()
    expect(await openTo(id)).toBe('open')
    await work(world)
  })
})

it('its bench says what its courses cost by the clock of the mode, as its page does', async () => {
  const until = new Date(world.services.now().getTime() + 10 * 86_400_000).toISOString()
  const sale = { amount: 9900, from: null, until, scope: 'every' as const }
  const reduced = await world.sell(12_900, `Reduced ${n}`, { sale })
  await world.db.update(school).set({ practiceAheadMs: 20 * 86_400_000 })
  const priceIn = async (mode: string) => {
    const cookie = `acorn_studio=${world.creatorToken}; acorn_mode=${mode}`
    const answer = await world.call('GET', `/api/bundles/${bundle.bundleId}`, undefined, { cookie })
    const { known } = (await answer.json()) as { known: { id: string; alone: { now: number } | null }[] }
    return known.find(({ id }) => id === reduced.courseId)?.alone?.now
  }
  expect([await priceIn('live'), await priceIn('practice')]).toEqual([9900, 12_900])
  await world.db.update(school).set({ practiceAheadMs: 0 })
})
