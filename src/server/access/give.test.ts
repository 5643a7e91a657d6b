import { and, asc, eq } from 'drizzle-orm'
import { beforeEach, expect, it } from 'vitest'
import { addDays } from '../../core/calendar/day.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { grants, messages } from '../db/schema/index.ts'
import { Problem } from '../http/problem.ts'
import { sendMessage } from '../messages/send.ts'
import { addPerson } from '../people/service.ts'
import { schoolDay } from '../school/service.ts'
import { announceAccess } from './announce.ts'
import { giveAccess, setAccessEnd } from './give.ts'

const world = ownWorld()
let n = 0
let person: Awaited<ReturnType<typeof addPerson>>
let one: Awaited<ReturnType<typeof world.sell>>
let two: Awaited<ReturnType<typeof world.sell>>

beforeEach(async () => {
  n++
  person = await addPerson(world.services, 'practice', 'Gero', `gero${n}@post.example`)
  one = await world.sell(4900, `One ${n}`)
  two = await world.sell(4900, `Two ${n}`)
})

const held = () =>
  world.db
    .select({ id: grants.id, courseId: grants.courseId, opens: grants.opens, closes: grants.closes, note: grants.note })
    .from(grants)
    .where(eq(grants.personId, person.id))
    .orderBy(asc(grants.createdAt))
const told = async (kind: 'given' | 'opened') => {
  const rows = await world.db
    .select({ id: messages.id })
    .from(messages)
    .where(and(eq(messages.personId, person.id), eq(messages.kind, kind)))
  const texts: string[] = []
  for (const { id } of rows)
    await sendMessage(world.services, id, async ({ subject, text }) => void texts.push(subject, text))
  return texts
}
const give = (how: Parameters<typeof giveAccess>[2]) => giveAccess(world.services, person.id, how)
const pointersOf = async (call: Promise<unknown>) => {
  const problem = await call.then(
    () => null,
    (error: unknown) => error,
  )
  return problem instanceof Problem ? problem.errors.map(({ at }) => at) : problem
}

it('gives several courses from a first day to a last one, in one message, without a reason', async () => {
  const today = await schoolDay(world.services)
  const [from, until] = [addDays(today, 3), addDays(today, 33)]
  await give({ courseIds: [one.courseId, two.courseId], from, until })
  expect(await held()).toMatchObject([
    { courseId: one.courseId, opens: from, closes: addDays(until, 1), note: '' },
    { courseId: two.courseId, opens: from, closes: addDays(until, 1), note: '' },
  ])
  const [subject, text, ...more] = await told('given')
  expect(more).toEqual([])
  expect(subject).toBe(`“One ${n}” and “Two ${n}” are yours`)
  expect(text).toContain(`has given you “One ${n}” and “Two ${n}”. They open on `)
  expect(text).toContain('They are open until ')
  // On its day they are told of it, with the way in.
  world.clock.offsetMs += 3 * 86_400_000
  await announceAccess(world.services)
  expect((await told('opened'))[0]).toBe(`“One ${n}” and “Two ${n}” are open`)
})

it('gives all of a bundle; what they have for as long already is left as it is', async () => {
  await give({ courseIds: [one.courseId], note: 'won it' })
  const bundle = await world.bundle([one.courseId, two.courseId], 8000, `Both ${n}`)
  await give({ bundleId: bundle.bundleId, note: 'and this' })
  expect(await held()).toMatchObject([
    { courseId: one.courseId, note: 'won it' },
    { courseId: two.courseId, note: 'and this' },
  ])
  await expect(give({ bundleId: bundle.bundleId })).rejects.toMatchObject({ code: 'has-it' })
})

it('given once more, or set, it lasts longer; what was bought has no last day to be set', async () => {
  const today = await schoolDay(world.services)
  await give({ courseIds: [one.courseId], until: addDays(today, 5) })
  await give({ courseIds: [one.courseId], until: addDays(today, 40) })
  const [grant, ...others] = await held()
  expect(others).toEqual([])
  expect(grant).toMatchObject({ opens: today, closes: addDays(today, 41) })
  await setAccessEnd(world.services, 'practice', grant?.id as string, { until: addDays(today, 90) })
  await setAccessEnd(world.services, 'practice', grant?.id as string, { until: null })
  expect(await held()).toMatchObject([{ closes: null }])
  const { orderId } = await world.buy(two.slug, world.request(two.offerId, 4900, { email: `gero${n}@post.example` }))
  const [bought] = await world.grantsOf(orderId)
  await expect(setAccessEnd(world.services, 'practice', bought?.id as string, { until: null })).rejects.toMatchObject({
    status: 404,
  })
})

it('says at its field what is wrong, and gives nothing', async () => {
  const today = await schoolDay(world.services)
  const [past, ahead] = [addDays(today, -1), addDays(today, 9)]
  expect(await pointersOf(give({ courseIds: [] }))).toEqual(['/courseIds'])
  expect(await pointersOf(give({ courseIds: [one.courseId], from: past }))).toEqual(['/from'])
  expect(await pointersOf(give({ courseIds: [one.courseId], from: ahead, until: today }))).toEqual(['/until'])
  expect(await held()).toEqual([])
})
