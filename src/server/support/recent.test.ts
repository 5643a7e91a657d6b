import { expect, it } from 'vitest'
import { ownWorld } from '../../testing/ownWorld.ts'
import { THREE_PARTS } from '../../testing/terms.ts'
import { firstSteps } from '../catalogue/firstSteps.ts'
import { agreementsDue, collectAgreement } from '../collecting/collect.ts'
import { peopleOverview } from '../people/overview.ts'
import { recentDays } from './recent.ts'

const DAY_MS = 86_400_000
const world = ownWorld()

async function buy(
  terms: Parameters<typeof world.sell>[0],
  pay: number,
  who: string,
  behaviour = 'pays',
  content = {},
) {
  const { slug, offerId, courseId } = await world.sell(terms, `For ${who}`, content)
  const payment = { connectionId: world.connectionId, token: world.standins.tokenOf(behaviour) }
  const request = world.request(offerId, pay, { email: `${who}@recent.example`, name: who, payment })
  return { courseId, ...(await world.buy(slug, request, who)) }
}

it('before a sale and after it: the steps, the last two weeks day by day, and what is worth a look among buyers', async () => {
  expect(await firstSteps(world.services, 'practice')).toMatchObject({ course: false, price: false, sold: false })
  expect(await peopleOverview(world.services, 'practice')).toMatchObject({ newest: [], thisWeek: 0, having: [] })

  await buy(4800, 4800, 'early')
  await buy(THREE_PARTS, 4300, 'late', 'pays-once')
  expect(await firstSteps(world.services, 'practice')).toEqual({
    ...{ course: true, price: true, method: true, published: true, sold: true },
  })
  // The other mode has its own sales and payment methods.
  expect(await firstSteps(world.services, 'live')).toMatchObject({ course: true, method: false, sold: false })
  world.clock.offsetMs += 8 * DAY_MS
  const access = { from: null, lasts: { count: 20, unit: 'day' as const }, graceDays: 0 }
  const short = await buy(1000, 1000, 'short', 'pays', { access })

  const days = await recentDays(world.services, 'practice')
  expect(days).toHaveLength(14)
  expect(days.at(-1)).toMatchObject({ orders: 1, received: 1000 })
  expect(days.at(-9)).toMatchObject({ orders: 2, received: 9100 })
  expect(days.reduce((sum, { orders }) => sum + orders, 0)).toBe(3)
  expect((await recentDays(world.services, 'live')).every(({ orders, received }) => orders + received === 0)).toBe(true)

  const overview = await peopleOverview(world.services, 'practice')
  expect(overview).toMatchObject({ thisWeek: 1, weekBefore: 2, failing: [] })
  expect(overview.newest.map(({ name }) => name)).toEqual(['short'])
  expect(overview.ending).toMatchObject([{ name: 'short', title: 'For short' }])
  expect(overview.having).toHaveLength(3)
  expect(overview.having.find(({ courseId }) => courseId === short.courseId)).toMatchObject({ people: 1 })

  world.clock.offsetMs += 30 * DAY_MS
  for (const id of await agreementsDue(world.services, 'practice')) await collectAgreement(world.services, id)
  const later = await peopleOverview(world.services, 'practice')
  expect(later).toMatchObject({ thisWeek: 0, ending: [] })
  expect(later.failing).toMatchObject([{ name: 'late', title: 'For late', state: 'active' }])
})
