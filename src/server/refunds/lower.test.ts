import { and, asc, eq } from 'drizzle-orm'
import { expect, it } from 'vitest'
import type { DraftTerms } from '../../core/content/offer.ts'
import { split } from '../../core/money/arithmetic.ts'
import { advance } from '../../testing/overTime.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { MONTHLY, THREE_PARTS, WHILE_PAYING } from '../../testing/terms.ts'
import { agreements, messages, orderLines, payments } from '../db/schema/index.ts'
import { sendMessage } from '../messages/send.ts'
import { sumProducts } from '../money/products.ts'
import { schoolDay } from '../school/service.ts'
import { openOrder } from '../support/orders.ts'
import { refundLine } from './service.ts'

const world = ownWorld()
let n = 0

/** Two courses in a bundle, at 129 and 24 alone, bought over time; the dearer one is refunded and closed after the first payment. */
async function refundedOne(terms: DraftTerms, pay: number, lowersLater: boolean) {
  n++
  const big = await world.sell(12_900, `Coptic ${n}`)
  const small = await world.sell(2400, `Marbling ${n}`)
  const access = terms.kind === 'subscription' ? { access: WHILE_PAYING } : {}
  const bundle = await world.bundle([big.courseId, small.courseId], terms, `Bench ${n}`, access)
  const request = world.request(bundle.offerId, pay, { email: `lower${n}@post.example` })
  const { orderId } = await world.buy(bundle.slug, request, `lower${n}`)
  const [line] = await world.db.select().from(orderLines).where(eq(orderLines.orderId, orderId))
  const [share = 0] = split(pay, [12_900, 2400])
  const asked = { lineId: line?.id as string, amount: share, courseIds: [big.courseId], note: 'not for me' }
  await refundLine(world.services, 'practice', orderId, { ...asked, access: 'close', lowersLater })
  return { orderId, asked, big, small, share }
}
const scheduled = async (orderId: string) =>
  world.db.select().from(payments).where(eq(payments.orderId, orderId)).orderBy(asc(payments.n))
const taken = async (orderId: string) => (await world.attemptsOf(orderId)).map(({ amount }) => amount)

it('a course of a bundle in installments that is refunded takes its share of what follows with it, and earns nothing more', async () => {
  const { orderId, big, small, share } = await refundedOne(THREE_PARTS, 4300, true)
  const [pay, left] = [4300, 4300 - share]
  const rows = await scheduled(orderId)
  expect(rows.map((row) => row.pay)).toEqual([pay, left, left])
  const [, second] = rows
  expect(second?.tax).toBe(717 - (split(717, [12_900, 2400])[0] ?? 0))
  expect((second?.price ?? 0) - (second?.discount ?? 0)).toBe(left)
  const { journal } = await openOrder(world.services, 'practice', orderId)
  expect(journal.filter(({ what }) => what === 'later-lowered')).toHaveLength(1)
  const [told] = await world.db
    .select()
    .from(messages)
    .where(and(eq(messages.orderId, orderId), eq(messages.kind, 'refunded')))
  const texts: string[] = []
  await sendMessage(world.services, told?.id as string, async ({ text }) => void texts.push(text))
  expect(texts[0]).toContain(`go on: the next one is €${(left / 100).toFixed(2)}`)

  await advance(world, 31)
  await advance(world, 31)
  expect(await taken(orderId)).toEqual([pay, left, left])
  const [agreement] = await world.db.select().from(agreements).where(eq(agreements.orderId, orderId))
  expect(agreement?.state).toBe('completed')
  const span = { from: '2020-01-01', until: await schoolDay(world.services), by: 'course' as const, search: '' }
  const { products } = await sumProducts(world.services, 'practice', span as never)
  const of = (id: string) => products.find((product) => product.id === id)
  expect(of(big.courseId)).toMatchObject({ received: share, givenBack: share })
  expect(of(small.courseId)).toMatchObject({ received: pay - share + 2 * left, givenBack: 0 })
})

it('a subscription is lowered for good, beyond what is listed', async () => {
  const { orderId, share } = await refundedOne(MONTHLY, 1900, true)
  const [pay, left] = [1900, 1900 - share]
  for (let month = 0; month < 14; month++) await advance(world, 31)
  expect(await taken(orderId)).toEqual([pay, ...Array.from({ length: 14 }, () => left)])
  const ahead = (await scheduled(orderId)).filter(({ state }) => state === 'due')
  expect(new Set(ahead.map((payment) => payment.pay))).toEqual(new Set([left]))
  expect(ahead.length).toBeGreaterThan(2)
})

it('left as it is, nothing that follows changes; who keeps the course goes on paying for it', async () => {
  const { orderId, asked } = await refundedOne(THREE_PARTS, 4300, false)
  expect((await scheduled(orderId)).map((row) => row.pay)).toEqual([4300, 4300, 4300])
  const keep = { ...asked, amount: 100, access: 'keep' as const, lowersLater: true }
  await expect(refundLine(world.services, 'practice', orderId, keep)).rejects.toMatchObject({
    errors: [{ at: '/lowersLater' }],
  })
})
