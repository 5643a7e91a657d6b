import { describe, expect, it } from 'vitest'
import type { DraftTerms } from '../../core/content/offer.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { THREE_PARTS } from '../../testing/terms.ts'
import { cancelAgreement } from '../collecting/actions.ts'
import { agreementsDue, collectAgreement } from '../collecting/collect.ts'
import { openPerson } from '../people/service.ts'
import { listOrders, openOrder } from './orders.ts'

const every = { count: 1, unit: 'month' } as const
const monthly: DraftTerms = {
  kind: 'subscription',
  amount: 1900,
  every,
  payments: null,
  setupFee: null,
  trial: { length: { count: 7, unit: 'day' }, amount: 0 },
}
const world = ownWorld()

async function buy(terms: DraftTerms | number, pay: number, who: string, behaviour = 'pays') {
  const { slug, offerId } = await world.sell(terms, `For ${who}`)
  const payment = { connectionId: world.connectionId, token: world.standins.tokenOf(behaviour) }
  const request = world.request(offerId, pay, { email: `${who}@orders.example`, name: who, payment })
  return (await world.buy(slug, request, who)).orderId
}
const open = (id: string) => openOrder(world.services, 'practice', id)

describe('a list of orders', () => {
  it('says how far the later payments of each have come', async () => {
    await buy(4800, 4800, 'once')
    await buy(THREE_PARTS, 4300, 'parts')
    await buy(THREE_PARTS, 4300, 'late', 'pays-once')
    const trial = await buy(monthly, 0, 'trial')
    const [agreement] = (await open(trial)).agreements
    await cancelAgreement(world.services, agreement?.id as string, 'period-end', 'buyer')
    world.clock.offsetMs += 32 * 86_400_000
    for (const id of await agreementsDue(world.services, 'practice')) await collectAgreement(world.services, id)
    const { orders } = await listOrders(world.services, 'practice', { search: '', state: 'all' })
    const statuses = Object.fromEntries(orders.map(({ buyer, agreement: agreed }) => [buyer, agreed]))
    expect(statuses).toMatchObject({
      once: null,
      parts: { kind: 'installments', state: 'active', tries: 0, collected: 2, count: 3 },
      late: { kind: 'installments', state: 'active', tries: 1, collected: 1, count: 3 },
      trial: { kind: 'subscription', state: 'cancelled', tries: 0, collected: 0, count: null },
    })
  })

  it('and its orders and their buyers say why each course is open', async () => {
    const { orders } = await listOrders(world.services, 'practice', { search: 'parts@', state: 'all' })
    const order = await open(orders[0]?.id as string)
    const [grant] = order.grants
    expect(grant?.why).toMatch(
      /^Open for good, as long as the payment due on .* is paid; otherwise .*; payment 2 of 3 collected on /,
    )
    const person = await openPerson(world.services, 'practice', order.person.id)
    expect(person.grants.map(({ why }) => why)).toEqual([grant?.why])
    expect(person.orders).toMatchObject([{ agreement: { collected: 2, count: 3 } }])
    const [single] = (await listOrders(world.services, 'practice', { search: 'once@', state: 'all' })).orders
    expect((await open(single?.id as string)).grants[0]?.why).toMatch(/^Open for good, from .*: bought\.$/)
    const [late] = (await listOrders(world.services, 'practice', { search: 'late@', state: 'all' })).orders
    world.clock.offsetMs += 40 * 86_400_000
    expect((await open(late?.id as string)).grants[0]?.why).toMatch(
      /^Paused since .*: the payment due on .* is not paid/,
    )
  })
})
