import { eq } from 'drizzle-orm'
import { describe, expect, it } from 'vitest'
import type { Access } from '../../core/terms/terms.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { shopper } from '../../testing/world.ts'
import { people } from '../db/schema/index.ts'
import { schoolDay } from '../school/service.ts'
import { recordTransferReceived } from '../transfers/marks.ts'
import { placeOrder } from './place.ts'

const world = ownWorld()
const DAY = 86_400_000
const lasting = (lasts: Access['lasts']) => ({ access: { from: null, lasts, graceDays: 0 } })
const year = { count: 1, unit: 'year' } as const

/** A course that lasts, bought now, and its buyer. */
async function has(lasts: Access['lasts'], email: string) {
  const course = await world.sell(12_900, `Again ${email}`, lasting(lasts))
  const { orderId } = await world.buy(course.slug, world.request(course.offerId, 12_900, { email }), email)
  const [person = null] = await world.db.select().from(people).where(eq(people.email, email))
  /** Orders an offer of the same course, signed in, having been told what they have. */
  const order = (offerId: string, more: Parameters<typeof world.request>[2] = {}) =>
    placeOrder(
      world.services,
      course.slug,
      { ...world.request(offerId, 5000, { email, ...more }), isTold: true },
      { ...shopper('elsewhere'), person },
    )
  return { ...course, orderId, order }
}

describe('a course of limited length', () => {
  it('is bought again on the day on which it closes, and not on the day before', async () => {
    const email = 'closing@post.example'
    const { slug, offerId, orderId } = await has({ count: 10, unit: 'day' }, email)
    const [grant] = await world.grantsOf(orderId)
    const again = () => world.buy(slug, world.request(offerId, 12_900, { email }), 'another browser')
    world.clock.offsetMs = 9 * DAY
    await expect(again()).rejects.toMatchObject({ code: 'not-with-this-email' })
    world.clock.offsetMs = 10 * DAY
    expect(await schoolDay(world.services)).toBe(grant?.closes)
    const placed = await again()
    expect(placed.state).toBe('paid')
    expect(placed.orderId).not.toBe(orderId)
    expect(await world.duplicatesOf(placed.orderId)).toEqual([null])
  })

  it('is bought for longer beside what its buyer has, and not for less', async () => {
    const { courseId, order } = await has(year, 'longer@post.example')
    const shorter = await world.offer(courseId, 5000, lasting({ count: 1, unit: 'month' }))
    const longer = await world.offer(courseId, 5000, lasting({ count: 2, unit: 'year' }))
    await expect(order(shorter)).rejects.toMatchObject({ code: 'already-yours' })
    const placed = await order(longer)
    expect(placed.state).toBe('paid')
    expect(await world.grantsOf(placed.orderId)).toHaveLength(1)
  })

  it('that was bought before is not taken for an order paid meanwhile, when a transfer for more comes', async () => {
    const { transfer } = await world.connectOthers()
    const { courseId, order } = await has(year, 'before@post.example')
    const forGood = await world.offer(courseId, 5000)
    const { orderId } = await order(forGood, { payment: { connectionId: transfer, token: '' } })
    await recordTransferReceived(world.services, 'practice', orderId, {
      amount: 5000,
      day: await schoolDay(world.services),
      note: '',
    })
    expect(await world.orderOf(orderId)).toMatchObject({ state: 'paid' })
    expect(await world.duplicatesOf(orderId)).toEqual([null])
    expect(await world.grantsOf(orderId)).toMatchObject([{ closes: null, endedAt: null }])
  })
})
