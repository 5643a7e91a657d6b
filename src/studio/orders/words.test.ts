import { describe, expect, it } from 'vitest'
import { formatWorth, orderState } from './words.ts'

const money = { currency: 'EUR', language: 'en' }
const plan = {
  kind: 'installments',
  state: 'active',
  tries: 0,
  collected: 1,
  count: 3,
  chargedNext: '2026-12-20',
} as const
const member = { ...plan, kind: 'subscription', count: null } as const
type OrderStatus = Parameters<typeof orderState>[0]
const paid = (agreement: object | null, more: Partial<OrderStatus> = {}) =>
  ({
    state: 'paid',
    payToday: 4300,
    currency: 'EUR',
    received: 4300,
    refunded: 0,
    came: 0,
    last: null,
    agreement,
    lines: 1,
    ...more,
  }) as OrderStatus
const unpaid = (last: string | null, came = 0) => paid(null, { state: 'paying', received: 0, last, came })

describe('how an order stands', () => {
  it.each([
    [unpaid(null), 'due', 'not paid'],
    [unpaid('declined thistle'), 'failed', 'declined'],
    [unpaid('abandoned moor'), 'off', 'not finished'],
    [unpaid('unknown thistle'), 'awaited', 'checking with the gateway'],
    [unpaid('confirming moor'), 'awaited', 'waiting for approval'],
    [unpaid('awaiting brook'), 'awaited', 'money on its way'],
    [unpaid('awaiting transfer'), 'awaited', 'waiting for the transfer'],
    [unpaid('awaiting transfer', 1000), 'awaited', '€10.00 received, €33.00 missing'],
    [paid(null), 'received', 'paid'],
    [paid(null, { refunded: 1000 }), 'received', 'paid, €10.00 refunded'],
    [paid(null, { refunded: 4300 }), 'off', 'refunded'],
    [paid(null, { disputed: true }), 'late', 'disputed'],
    [paid(plan, { disputed: true, refunded: 300 }), 'late', 'disputed'],
    [paid(plan), 'received', '1 of 3 paid'],
    [paid(plan, { refunded: 300 }), 'received', '1 of 3 paid, €3.00 refunded'],
    [paid(member), 'received', 'renews on 20 Dec 2026'],
    [paid({ ...member, collected: 0 }), 'received', 'first payment on 20 Dec 2026'],
    [paid({ ...member, count: 12 }), 'received', '1 of 12 paid'],
    [paid({ ...plan, collected: 0 }), 'received', 'begun'],
    [paid({ ...plan, tries: 2 }), 'late', 'payment 2 overdue'],
    [paid(plan, { lines: 2 }), 'received', 'paid, more to come'],
    [paid({ ...plan, tries: 2 }, { lines: 2 }), 'late', 'payment 2 overdue'],
    [paid({ ...member, state: 'cancelled' }, { lines: 3 }), 'received', 'paid'],
    [paid({ ...plan, state: 'completed', collected: 3 }), 'received', 'all 3 paid'],
    [paid({ ...plan, state: 'stopped' }), 'failed', 'stopped, 1 of 3 paid'],
    [paid({ ...plan, state: 'cancelled' }), 'off', 'ended, 1 of 3 paid'],
    [paid({ ...member, state: 'stopped' }), 'failed', 'stopped'],
    [paid({ ...member, state: 'cancelled' }), 'off', 'cancelled'],
  ] as const)('%#: %j', (order, shape, word) => {
    expect(orderState(order, money)).toEqual([shape, word])
  })
})

it('says what was received so far, and calls free only what costs nothing later either', () => {
  expect(formatWorth(paid(null, { payToday: 0, received: 0 }), money)).toBe('free')
  expect(formatWorth(paid(member, { payToday: 0, received: 22_800 }), money)).toBe('€228.00')
  expect(formatWorth(paid(plan), money)).toBe('€43.00')
  expect(formatWorth(unpaid('awaiting transfer', 1000), money)).toBe('€43.00')
})
