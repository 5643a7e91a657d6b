import { describe, expect, it } from 'vitest'
import { type DraftTerms, newOffer } from '../../core/content/offer.ts'
import type { School } from '../school/service.ts'
import {
  askedOf,
  basketOf,
  coursesIn,
  linesOfOrders,
  type NewOrder,
  numbered,
  orderOf,
  placedEvent,
} from './orderRows.ts'
import type { Placing, PlacingLine } from './placing.ts'
import { quoteBasket } from './quoteBasket.ts'

/** What is stored of an order follows from what is placed alone. */

const AT = new Date('2027-01-31T09:00:00Z')
const SCHOOL = {
  currency: 'EUR',
  language: 'en',
  timeZone: 'Europe/Vienna',
  taxMode: 'inclusive',
  taxRate: 2000,
} as School

const course = (id: string, weight = 1) => ({ id, weight, title: `Course ${id}` }) as PlacingLine['courses'][number]
const line = (id: string, terms: DraftTerms, courses: string[], role: PlacingLine['role'] = 'main') =>
  ({
    role,
    chosen: null,
    offer: { id: `offer ${id}`, productId: `product ${id}`, version: 3, live: { ...newOffer(`Offer ${id}`), terms } },
    product: { id: `product ${id}`, slug: id, title: `Product ${id}` },
    courses: courses.map((of) => course(of)),
  }) as unknown as PlacingLine

const single = (amount: number): DraftTerms => ({ kind: 'single', amount })
const parts: DraftTerms = {
  ...{ kind: 'installments', count: 3, every: { count: 1, unit: 'month' } },
  ...{ amount: 4500, total: null, deposit: null, trial: null },
} as DraftTerms

function placing(lines: PlacingLine[], more: Partial<Placing> = {}): Placing {
  return {
    ...{ school: SCHOOL, page: null, fromBasketId: null, lines, follows: null, found: [], keyed: undefined },
    request: { name: 'Ida Berg', email: 'ida@post.example', from: 'newsletter' } as Placing['request'],
    payment: { connectionId: 'card', token: 'token' },
    shopper: { mode: 'live', browserHash: 'browser', person: null },
    quoted: quoteBasket(SCHOOL, lines, AT),
    ...{ hasLater: false, savedMethod: null, charged: null, savesForUpsells: false },
    ...more,
  }
}

const ida = { id: 'ida', email: 'ida@post.example' }
const stored = (lines: PlacingLine[], more: Partial<Placing> = {}) => {
  const of = placing(lines, more)
  return { placing: of, order: orderOf(ida, of, null, AT) }
}

describe('an order', () => {
  it('knows what it was quoted by, who placed it from where, and is found by what it names', () => {
    const { order } = stored([line('book', single(4300), ['coptic']), line('Box', single(900), ['box'], 'bump')])
    expect(order).toMatchObject({
      ...{ mode: 'live', personId: 'ida', state: 'paying', payToday: 5200, currency: 'EUR' },
      ...{ cameFrom: 'newsletter', browserHash: 'browser', buyerName: 'Ida Berg', createdAt: AT, paidAt: null },
    })
    expect(order.searchText).toBe('ida berg ida@post.example product book offer book product box offer box')
    expect(order).not.toHaveProperty('number')
  })

  it('of nothing is not paying: there is nothing to wait for', () => {
    expect(stored([line('gift', { kind: 'free' }, ['gift'])]).order).toMatchObject({ state: 'open', payToday: 0 })
  })

  it('that was never paid and is placed again stays the same order, quoted anew', () => {
    const before = { ...stored([line('book', single(4300), ['coptic'])]).order, number: 1007, state: 'open' as const }
    const again = orderOf(ida, placing([line('book', single(5100), ['coptic'])]), before, new Date('2027-02-03'))
    expect(again).toMatchObject({ id: before.id, number: 1007, createdAt: AT, basket: before.basket })
    expect(again).toMatchObject({ payToday: 5100, state: 'paying' })
  })
})

it('a basket is named by what it holds, whatever its offers and their order', () => {
  const [book, box] = [line('book', single(4300), ['coptic']), line('box', single(900), ['box'])]
  expect(basketOf([book, box])).toBe(basketOf([box, book]))
  expect(basketOf([book])).not.toBe(basketOf([book, box]))
  expect(basketOf([{ product: { id: 'product book' } }])).toBe(basketOf([book]))
})

it('the courses of a basket are named once each', () => {
  const both = placing([line('a', single(100), ['coptic', 'paper']), line('b', single(100), ['paper', 'box'])])
  expect(coursesIn(both)).toEqual(['coptic', 'paper', 'box'])
})

it('lines, courses and payments of several orders stand under their own, and add up to what each pays', () => {
  const all = [
    stored([line('book', parts, ['coptic', 'paper']), line('box', single(900), ['box'], 'bump')]),
    stored([line('club', single(1900), ['club'])], { shopper: { mode: 'live', browserHash: 'other', person: null } }),
  ]
  const [lines, courses, payments] = linesOfOrders(all).map(({ rows }) => rows) as Record<string, unknown>[][]
  expect(
    lines?.map(({ orderId, position, role, title, offerVersion }) => [orderId, position, role, title, offerVersion]),
  ).toEqual([
    [all[0]?.order.id, 0, 'main', 'Product book', 3],
    [all[0]?.order.id, 1, 'bump', 'Product box', 3],
    [all[1]?.order.id, 0, 'main', 'Product club', 3],
  ])
  const lineIds = lines?.map(({ id }) => id) ?? []
  expect(new Set(lineIds).size).toBe(3)
  expect(courses?.map(({ lineId, courseId, position }) => [lineIds.indexOf(lineId), courseId, position])).toEqual([
    [0, 'coptic', 0],
    [0, 'paper', 1],
    [1, 'box', 0],
    [2, 'club', 0],
  ])
  for (const { order } of all) {
    const own = payments?.filter(({ orderId }) => orderId === order.id) ?? []
    const today = own.filter(({ due }) => due === order.quote.purchaseDay)
    expect(today.reduce((sum, { pay }) => sum + Number(pay), 0)).toBe(order.payToday)
    expect(own.every(({ state, mode }) => state === 'due' && mode === order.mode)).toBe(true)
  }
  expect(payments).toHaveLength(5)
})

it('what is asked today is what the quote says, of what was given to pay with', () => {
  const { order, placing: of } = stored([line('book', parts, ['coptic'])])
  expect(askedOf(order, of, AT)).toEqual({
    ...{ orderId: order.id, agreementId: null, fromN: null, toN: null, connectionId: 'card' },
    ...{ amount: 4500, currency: 'EUR', day: '2027-01-31', madeBy: 'buyer' },
  })
  const charged = { connectionId: 'card', reference: 'saved', method: 'card ending 4821', expires: '2031-04-30' }
  expect(askedOf(order, { ...of, charged }, AT)).toMatchObject({ savedMethod: 'saved', expires: '2031-04-30' })
  expect(askedOf(order, { ...of, savesForUpsells: true }, AT)).toMatchObject({ forgetAt: AT })
})

it('orders are numbered by the sequence of their mode', () => {
  const { order } = stored([line('book', single(4300), ['coptic'])])
  const practice = { ...order, mode: 'practice' as const } satisfies NewOrder
  const [live, other] = [numbered([order]), numbered([practice])]
  expect(live.statement).not.toBe(other.statement)
  expect(live.statement).toBe(numbered([order, order]).statement)
  expect(placedEvent(order, 'order-placed')).toEqual({
    about: { orderId: order.id, personId: 'ida' },
    what: 'order-placed',
    data: { amount: 4300, currency: 'EUR' },
  })
})
