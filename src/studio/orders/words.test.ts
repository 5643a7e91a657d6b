import { describe, expect, it } from 'vitest'
import { orderState, sayToday } from './words.ts'

const money = { currency: 'EUR', language: 'en' }
const plan = { kind: 'installments', state: 'active', tries: 0, collected: 1, count: 3 } as const
const member = { ...plan, kind: 'subscription', count: null } as const
const paid = (agreement: typeof plan | typeof member | object | null) =>
  ({ state: 'paid', payToday: 4300, currency: 'EUR', agreement }) as Parameters<typeof orderState>[0]

describe('how an order stands', () => {
  it.each([
    [{ ...paid(null), state: 'open' as const }, 'due', 'not paid'],
    [{ ...paid(null), state: 'paying' as const }, 'awaited', 'being paid'],
    [paid(null), 'received', 'paid'],
    [paid(plan), 'received', '1 of 3 came'],
    [paid(member), 'received', '1 came'],
    [paid({ ...member, collected: 0 }), 'received', 'begun'],
    [paid({ ...plan, tries: 2 }), 'late', 'payment 2 is late'],
    [paid({ ...plan, state: 'completed', collected: 3 }), 'received', 'all 3 came'],
    [paid({ ...plan, state: 'stopped' }), 'failed', 'stopped, 1 of 3 came'],
    [paid({ ...member, state: 'stopped' }), 'failed', 'stopped'],
    [paid({ ...member, state: 'cancelled' }), 'off', 'cancelled'],
  ] as const)('%j: %s, %s', (order, shape, word) => {
    expect(orderState(order as Parameters<typeof orderState>[0])).toEqual([shape, word])
  })
})

it('calls free only what costs nothing later either', () => {
  expect(sayToday({ ...paid(null), payToday: 0 }, money)).toBe('free')
  expect(sayToday({ ...paid(member), payToday: 0 }, money)).toBe('€0.00')
  expect(sayToday(paid(plan), money)).toBe('€43.00')
})
