import { eq } from 'drizzle-orm'
import { beforeAll, expect, it } from 'vitest'
import { ownWorld } from '../../testing/ownWorld.ts'
import { attempts } from '../db/schema/index.ts'
import { lastAttemptStatus } from './status.ts'

const world = ownWorld()
let paymentMethods: { moor: string; brook: string }
beforeAll(async () => {
  paymentMethods = await world.connectOthers()
})

let n = 0
async function order(connectionId: string, card = 'pays') {
  const { slug, offerId } = await world.sell(4900, `Status ${++n}`)
  const payment = { connectionId, token: connectionId === world.connectionId ? world.standins.tokenOf(card) : '' }
  const request = { ...world.request(offerId, 4900, { email: `status${n}@post.example` }), payment }
  return world.buy(slug, request, `browser ${n}`)
}
const statusOf = (orderId: string) => lastAttemptStatus(world.services, { orderId })

it('what is approved in a frame is told from what is approved at the gateway’s own page', async () => {
  const inFrame = await order(world.connectionId, 'confirms')
  expect(await statusOf(inFrame.orderId)).toEqual({ state: 'confirming', url: expect.any(String), isElsewhere: false })
  const elsewhere = await order(paymentMethods.moor)
  expect(await statusOf(elsewhere.orderId)).toMatchObject({ state: 'confirming', isElsewhere: true })
})

it('money that comes later is waited for; what is collected, declined or unanswered is said to be so', async () => {
  const later = await order(paymentMethods.brook)
  if (later.state !== 'confirming') throw new Error(later.state)
  await world.press(later.url, 'arrives')
  await world.db.update(attempts).set({ state: 'awaiting' }).where(eq(attempts.orderId, later.orderId))
  expect(await statusOf(later.orderId)).toEqual({ state: 'awaiting' })
  const paid = await order(world.connectionId)
  expect(await statusOf(paid.orderId)).toEqual({ state: 'collected' })
  const declined = await order(world.connectionId, 'not-enough-money')
  expect(await statusOf(declined.orderId)).toEqual({ state: 'declined', reason: 'not-enough-money' })
  await world.db.update(attempts).set({ state: 'unknown' }).where(eq(attempts.orderId, declined.orderId))
  expect(await statusOf(declined.orderId)).toEqual({ state: 'checking' })
  await world.db.update(attempts).set({ state: 'abandoned' }).where(eq(attempts.orderId, declined.orderId))
  expect(await statusOf(declined.orderId)).toEqual({ state: 'declined', reason: 'abandoned' })
  expect(await statusOf(crypto.randomUUID())).toEqual({ state: 'declined', reason: 'abandoned' })
})
