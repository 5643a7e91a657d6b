import { and, eq } from 'drizzle-orm'
import { expect, it } from 'vitest'
import { ownWorld } from '../../testing/ownWorld.ts'
import { MONTHLY } from '../../testing/terms.ts'
import { agreements, messages } from '../db/schema/index.ts'
import { sendMessage } from '../messages/send.ts'
import { announceAll } from './announce.ts'
import { collectAgreement } from './collect.ts'
import { changeMethod } from './manualPayment.ts'

const world = ownWorld()

const DAY = 86_400_000
const dayIn = (days: number) => new Date(world.services.now().getTime() + days * DAY).toISOString().slice(0, 10)
const tokenUntil = (expires: string) =>
  world.standins.books.tokenise(world.standins.account.id, 'practice', '9710223044008845', expires).token
const toldOf = (orderId: string) =>
  world.db.$count(messages, and(eq(messages.orderId, orderId), eq(messages.kind, 'card-expiring')))

it('a card that ends before a payment is announced two weeks ahead, once; with another card all is well', async () => {
  const course = await world.sell(MONTHLY, 'Ends')
  const payment = { connectionId: world.connectionId, token: tokenUntil(dayIn(20)) }
  const placed = await world.buy(course.slug, { ...world.request(course.offerId, 1900), payment })
  const [agreement] = await world.db.select().from(agreements).where(eq(agreements.orderId, placed.orderId))
  expect(agreement?.expires).toBe(dayIn(20))
  await announceAll(world.services)
  expect(await toldOf(placed.orderId)).toBe(0)

  world.clock.offsetMs += 18 * DAY
  await Promise.all([announceAll(world.services), announceAll(world.services)])
  await announceAll(world.services)
  expect(await toldOf(placed.orderId)).toBe(1)
  const job = world.queue.filter(({ name }) => name === 'message-send').at(-1)
  let email = ''
  await sendMessage(
    world.services,
    (job as { data: { messageId: string } }).data.messageId,
    async ({ subject, text }) => {
      email = `${subject}\n${text}`
    },
  )
  expect(email).toContain('Your card for Ends expires before the next payment')
  expect(email).toContain('/pay/')

  // Nothing done: the gateway declines it as expired.
  world.clock.offsetMs += 14 * DAY
  await collectAgreement(world.services, agreement?.id as string)
  expect((await world.attemptsOf(placed.orderId)).at(-1)).toMatchObject({ state: 'declined', reason: 'expired' })

  // Another card: announced anew only when that one ends.
  const other = { connectionId: world.connectionId, token: tokenUntil(dayIn(400)) }
  await changeMethod(world.services, agreement?.id as string, other)
  await announceAll(world.services)
  expect(await toldOf(placed.orderId)).toBe(1)
  const [after] = await world.db.select().from(agreements).where(eq(agreements.orderId, placed.orderId))
  expect(after?.expires).toBe(dayIn(400))
})
