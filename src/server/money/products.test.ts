import { eq } from 'drizzle-orm'
import { describe, expect, it } from 'vitest'
import { split } from '../../core/money/arithmetic.ts'
import { ownWorld } from '../../testing/ownWorld.ts'
import { orderLines } from '../db/schema/index.ts'
import { refundLine } from '../refunds/service.ts'
import { schoolDay } from '../school/service.ts'
import { type ProductSums, sumProducts } from './products.ts'
import { sumSpan } from './spans.ts'
import { aggregate } from './sums.ts'

const world = ownWorld()
const FIGURES = ['received', 'receivedTax', 'fees', 'givenBack', 'givenBackTax'] as const

const total = (products: readonly ProductSums[]) =>
  Object.fromEntries(
    FIGURES.map((figure) => [figure, products.reduce((sum, product) => sum + product[figure], 0)]),
  ) as Record<(typeof FIGURES)[number], number>
const read = async (by: 'product' | 'course', more: { search?: string; course?: string } = {}) => {
  const today = await schoolDay(world.services)
  const query = { from: today, until: today, search: '', ...more }
  const { products } = await sumProducts(world.services, 'practice', { ...query, by })
  const { total: whole } = await sumSpan(world.services, 'practice', query)
  expect(total(products)).toEqual(Object.fromEntries(FIGURES.map((figure) => [figure, whole[figure]])))
  return new Map(products.map((product) => [product.title, product]))
}

describe('money by what was sold', () => {
  it('is read whole or by the shares of a bundle’s courses, refunds too, and adds up to the same', async () => {
    const coptic = await world.sell(12_900, 'Coptic by shares')
    const marbling = await world.sell(2400, 'Marbling by shares')
    const bundle = await world.bundle([coptic.courseId, marbling.courseId], 9901, 'Shelf by shares')
    const buy = (who: string) =>
      world.buy(bundle.slug, world.request(bundle.offerId, 9901, { email: `${who}@shares.example` }), who)
    const { orderId } = await buy('ada')
    await buy('bo')
    await world.buy(coptic.slug, world.request(coptic.offerId, 12_900, { email: 'cy@shares.example' }), 'cy')
    const [line] = await world.db.select().from(orderLines).where(eq(orderLines.orderId, orderId))
    await refundLine(world.services, 'practice', orderId, {
      lineId: line?.id as string,
      amount: 777,
      courseIds: [marbling.courseId],
      access: 'keep',
      note: 'the paper was missing',
    })
    const [first = 0, second = 0] = split(9901, [12_900, 2400])

    const whole = await read('product')
    expect(whole.get('Shelf by shares')).toMatchObject({ kind: 'bundle', received: 2 * 9901, givenBack: 777 })
    expect(whole.get('Coptic by shares')).toMatchObject({ kind: 'course', received: 12_900, givenBack: 0 })
    expect(whole.has('Marbling by shares')).toBe(false)

    const shares = await read('course')
    expect(shares.has('Shelf by shares')).toBe(false)
    expect(shares.get('Coptic by shares')).toMatchObject({ received: 12_900 + 2 * first, givenBack: 0 })
    expect(shares.get('Marbling by shares')).toMatchObject({ received: 2 * second, givenBack: 777 })
    expect(total([...shares.values()])).toEqual(total([...whole.values()]))

    // The same once a worker has added the movements up, and of one buyer alone.
    await aggregate(world.db)
    expect([...(await read('course')).values()]).toEqual([...shares.values()])
    const ofAda = await read('course', { search: 'ada@shares.example' })
    expect(ofAda.get('Coptic by shares')).toMatchObject({ received: first })
    expect(ofAda.get('Marbling by shares')).toMatchObject({ received: second, givenBack: 777 })
  })

  it('a course that joined later has no share of what was paid before', async () => {
    const coptic = await world.sell(12_900, 'Coptic first')
    const marbling = await world.sell(2400, 'Marbling first')
    const later = await world.sell(2400, 'Joined later')
    const bundle = await world.bundle([coptic.courseId, marbling.courseId], 9900, 'Shelf that grew')
    const { orderId } = await world.buy(
      bundle.slug,
      world.request(bundle.offerId, 9900, { email: 'di@shares.example' }),
      'di',
    )
    const [line] = await world.db.select().from(orderLines).where(eq(orderLines.orderId, orderId))
    await world.db.execute(
      `insert into line_courses (line_id, course_id, position, title, weight)
       values ('${line?.id}', '${later.courseId}', 2, 'Joined later', 0)`,
    )
    const shares = await read('course', { search: 'di@shares.example' })
    const [first = 0, second = 0] = split(9900, [12_900, 2400])
    expect([shares.get('Coptic first')?.received, shares.get('Marbling first')?.received]).toEqual([first, second])
    expect(shares.get('Joined later')?.received ?? 0).toBe(0)
  })
})
