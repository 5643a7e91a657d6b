import { and, eq } from 'drizzle-orm'
import { beforeEach, describe, expect, it } from 'vitest'
import { addDays, after } from '../../core/calendar/day.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { agreements, attempts, messages, school } from '../db/schema/index.ts'
import { clearPractice } from './practice.ts'
import { continueMove, practiceClock, resumeMove, startMove, stopMove } from './practiceTime.ts'

const world = ownWorld()
beforeEach(async () => {
  await world.db.update(school).set({ practiceMove: null })
  await clearPractice(world.services)
  world.queue.length = 0
})

const every = { count: 1, unit: 'month' } as const
const parts = { kind: 'installments', count: 3, every, amount: 4300, total: null, deposit: null, trial: null } as const
let buyers = 0

async function buyPlan(card = 'pays') {
  const { slug, offerId } = await world.sell(parts, `Plan ${++buyers}`)
  await world.buy(slug, world.request(offerId, 4300, { email: `move${buyers}@post.example` }, card))
}
/** Messages are sent by another job, which does not run here. */
const move = async () => {
  await world.db.update(messages).set({ state: 'sent' })
  await continueMove(world.services)
}
const collectedOn = async () =>
  (
    await world.db
      .select({ day: attempts.day })
      .from(attempts)
      .where(and(eq(attempts.madeBy, 'worker'), eq(attempts.state, 'collected')))
  )
    .map(({ day }) => day)
    .sort()

describe('a move of practice time', () => {
  it('goes day by day, and tells how far it is and what came', async () => {
    await buyPlan()
    const { day: from } = await practiceClock(world.services)
    await startMove(world.services, { days: 70 })
    expect(world.queue.map(({ name }) => name)).toContain('practice-move')
    expect(await practiceClock(world.services)).toMatchObject({ day: from, move: { from, state: 'moving', count: 0 } })
    await move()
    const { day, daysAhead, move: done, next } = await practiceClock(world.services)
    expect([day, daysAhead, next]).toEqual([addDays(from, 70), 70, null])
    expect(done).toMatchObject({ to: addDays(from, 70), state: 'done' })
    expect(done?.events.map(({ what }) => what)).toEqual([
      'agreement-completed',
      'payment-collected',
      'payment-collected',
    ])
    expect(await collectedOn()).toEqual([after(from, 1, every), after(from, 2, every)])
  })

  it('to the next event stops there; where none is to come it says so', async () => {
    await buyPlan()
    const { day: from } = await practiceClock(world.services)
    await startMove(world.services, 'next')
    await move()
    expect((await practiceClock(world.services)).day).toBe(after(from, 1, every))
    expect(await collectedOn()).toEqual([after(from, 1, every)])
    await clearPractice(world.services)
    await expect(startMove(world.services, 'next')).rejects.toMatchObject({ status: 409, code: 'no-event' })
  })

  it('taken up by two workers at once it comes to the same day, and nothing is collected twice', async () => {
    await Promise.all([buyPlan(), buyPlan('pays-once')])
    const { day: from } = await practiceClock(world.services)
    await startMove(world.services, { days: 40 })
    await world.db.update(messages).set({ state: 'sent' })
    await Promise.all([continueMove(world.services), continueMove(world.services), continueMove(world.services)])
    expect((await practiceClock(world.services)).day).toBe(addDays(from, 40))
    const due = after(from, 1, every)
    expect(await collectedOn()).toEqual([due])
    const tries = await world.db.select({ day: attempts.day }).from(attempts).where(eq(attempts.state, 'declined'))
    expect(tries.map(({ day }) => day).sort()).toEqual([0, 1, 3, 7].map((days) => addDays(due, days)))
  })

  it('left by a worker that ended it is taken up again; stopped, it stays where it is', async () => {
    await buyPlan()
    const { day: from } = await practiceClock(world.services)
    await startMove(world.services, { days: 365 })
    world.queue.length = 0
    await resumeMove(world.services)
    expect(world.queue.map(({ name }) => name)).toEqual(['practice-move'])
    await stopMove(world.services)
    await move()
    expect(await practiceClock(world.services)).toMatchObject({ day: from, move: { to: from, state: 'done' } })
    world.queue.length = 0
    await resumeMove(world.services)
    expect(world.queue).toEqual([])
  })

  it('while it is on its way no other begins, and practice is not cleared', async () => {
    await buyPlan()
    await startMove(world.services, { days: 3 })
    await expect(startMove(world.services, { days: 1 })).rejects.toMatchObject({ status: 409, code: 'moving' })
    await expect(clearPractice(world.services)).rejects.toMatchObject({ status: 409, code: 'moving' })
    expect(await world.db.$count(agreements)).toBe(1)
    await move()
    await clearPractice(world.services)
    expect(await practiceClock(world.services)).toMatchObject({ daysAhead: 0, move: null })
  })
})
