import { eq } from 'drizzle-orm'
import { expect, it } from 'vitest'
import { ownWorld } from '../../testing/ownWorld.ts'
import { sellableProducts } from '../catalogue/sellable.ts'
import { grants } from '../db/schema/index.ts'
import { connectGateway } from '../gateways/service.ts'
import { setNotifications } from '../outbox/notifications.ts'
import { setTerms } from '../school/service.ts'
import { giveTrialBack, goLiveList, openTrial } from './goLive.ts'

const world = ownWorld()

const holding = async () =>
  (await goLiveList(world.services)).checks.filter(({ isDone }) => isDone).map(({ code }) => code)

it('says what is missing, line by line, until the creator’s own purchase is given back', async () => {
  expect(await holding()).toEqual(['messages'])
  await expect(openTrial(world.services)).rejects.toMatchObject({ code: 'no-gateway' })
  const course = await world.sell(12_900, 'Coptic')
  const { id, keys } = world.standins.account
  await connectGateway(world.services, 'live', { adapter: 'thistle', account: id, secret: keys.live })
  expect(await holding()).toEqual(['connected', 'messages', 'page'])
  await world.buy(course.slug, world.request(course.offerId, 12_900))
  await setTerms(world.services, 'You may withdraw within 14 days.')
  expect(await holding()).toEqual(['connected', 'practised', 'messages', 'page', 'terms'])
  await setNotifications(world.services, { notifications: { receipt: { isOn: false, ownWords: '' } } as never })
  expect(await holding()).not.toContain('messages')
  await setNotifications(world.services, { notifications: {} as never })

  const { path } = await openTrial(world.services)
  const offerId = path.split('offer=')[1] as string
  expect((await sellableProducts(world.db)).flatMap(({ offers }) => offers).map((offer) => offer.id)).not.toContain(
    offerId,
  )
  const [connection] = await world.db.query.connections.findMany({ where: (row, { eq: is }) => is(row.mode, 'live') })
  const { token } = world.standins.books.tokenise(id, 'live', '9710223044004821')
  const request = world.request(offerId, 50, { payment: { connectionId: connection?.id as string, token } })
  // Nobody else can buy it, even by its link.
  await expect(world.buy(course.slug, request, 'stranger', 'live')).rejects.toMatchObject({ code: 'not-on-sale' })
  const own = await world.call('POST', `/api/shop/checkout/${course.slug}`, request, {
    cookie: `acorn_studio=${world.creatorToken}; acorn_mode=live`,
  })
  const placed = (await own.json()) as { state: string; orderId: string }
  expect(placed.state).toBe('paid')
  expect((await goLiveList(world.services)).trial).toMatchObject({
    amount: 50,
    paid: { amount: 50, isGivenBack: false },
  })

  expect(await giveTrialBack(world.services)).toMatchObject({ refunded: 50 })
  const [grant] = await world.db.select().from(grants).where(eq(grants.orderId, placed.orderId))
  expect(grant?.endedAt).not.toBeNull()
  expect(await holding()).toEqual(['connected', 'practised', 'messages', 'page', 'terms', 'tried'])
  await expect(giveTrialBack(world.services)).rejects.toMatchObject({ code: 'no-trial' })
})
