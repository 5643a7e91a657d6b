import { mkdtempSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { codeOf } from '../../testing/refusals.ts'
import { APPROVED_UP_TO, SAMPLE_WALLETS, type WalletBehaviour, WalletBooks, type WalletRequest } from './books.ts'

function opened(file: string | null = null) {
  const books = new WalletBooks(file)
  const account = books.openAccount('School')
  let keys = 0
  const begin = (more: Partial<WalletRequest> = {}) =>
    books.begin(account, 'live', `key ${keys++}`, {
      ...{ amount: 4300, currency: 'EUR', return_url: 'http://school.example/back', reference: 'r', statement: 's' },
      ...more,
    }).payment
  const approve = (more: Partial<WalletRequest> = {}, behaviour: WalletBehaviour | null = 'pays') => {
    const payment = begin({ keep: true, ...more })
    return books.answer(payment.id, payment.confirmSecret ?? '', behaviour).payment
  }
  const charge = (method: string | null, amount = 1900, currency = 'EUR') =>
    begin({ method: method ?? '', amount, currency, return_url: undefined })
  return { books, account, begin, approve, charge }
}

describe('a payment whose payer is asked', () => {
  it.each([
    ['pays', { state: 'captured', wallet: 'wallet of Ada', fee: 113 }],
    ['not-enough-money', { state: 'declined', reason: 'not-enough-money', fee: 0 }],
    ['pays-once', { state: 'captured', wallet: 'wallet of Cleo' }],
    [null, { state: 'declined', reason: 'refused-by-buyer', wallet: null, method: null }],
  ] as const)('%s', (behaviour, settled) => {
    const { books, begin } = opened()
    const payment = begin()
    expect(payment).toMatchObject({ state: 'confirm', fee: 0, method: null })
    const first = books.answer(payment.id, payment.confirmSecret ?? '', behaviour)
    expect(first).toMatchObject({ changed: true, payment: settled })
    // An answer that comes too late changes nothing, also by the link as it was.
    expect(books.answer(payment.id, payment.confirmSecret ?? '', 'pays')).toEqual({
      payment: first.payment,
      changed: false,
    })
  })

  it('must have a place to come back to, and is answered by its own link alone', () => {
    const { books, begin } = opened()
    expect(codeOf(() => begin({ return_url: undefined }))).toBe('bad-request')
    const [one, two] = [begin(), begin()]
    expect(codeOf(() => books.answer(one.id, two.confirmSecret ?? '', 'pays'))).toBe('wrong-link')
    expect(books.payments.get(one.id)?.state).toBe('confirm')
  })

  it('keeps an approval only where it was asked to, and only where it was paid', () => {
    const { books, approve } = opened()
    expect(approve({ keep: false }).method).toBeNull()
    expect(approve({}, 'not-enough-money').method).toBeNull()
    expect(approve({}, null).method).toBeNull()
    expect(books.approvals.size).toBe(0)
    expect(approve().method).toBe([...books.approvals.keys()][0])
  })
})

describe('a charge by an approval that was kept', () => {
  it('pays, up to the limit of its currency', () => {
    const { approve, charge } = opened()
    const { method } = approve()
    expect(charge(method)).toMatchObject({ state: 'captured', wallet: 'wallet of Ada', confirmSecret: null })
    for (const [currency, limit] of Object.entries(APPROVED_UP_TO)) {
      expect(charge(method, limit, currency).state).toBe('captured')
      expect(charge(method, limit + 1, currency)).toMatchObject({ state: 'declined', reason: 'over-limit' })
    }
    expect(charge(method, 1, 'JPY')).toMatchObject({ state: 'declined', reason: 'over-limit' })
  })

  it('of a wallet that pays once is declined from then on', () => {
    const { approve, charge } = opened()
    const { method } = approve({}, 'pays-once')
    expect(charge(method)).toMatchObject({ state: 'declined', reason: 'not-enough-money', fee: 0 })
  })

  it('is declined once its owner ended it, or the merchant forgot it; that of somebody else goes on', () => {
    const { books, account, approve, charge } = opened()
    const [one, two, three] = [approve().method, approve().method, approve().method]
    books.endApproval(one ?? '')
    books.forget(account.id, 'live', two ?? '')
    books.forget(account.id, 'practice', three ?? '')
    books.forget('another account', 'live', three ?? '')
    expect(charge(one)).toMatchObject({ state: 'declined', reason: 'approval-ended' })
    expect(charge(two)).toMatchObject({ state: 'declined', reason: 'approval-ended' })
    expect(charge(three)).toMatchObject({ state: 'captured' })
  })

  it('of another account, of the other mode, or that nobody gave is refused, and nothing is booked', () => {
    const { books, account, approve } = opened()
    const { method } = approve()
    const other = books.openAccount('Other')
    const request = { amount: 100, currency: 'EUR', method: method ?? '', reference: 'r', statement: 's' }
    const before = books.payments.size
    expect(codeOf(() => books.begin(other, 'live', 'k', request))).toBe('bad-token')
    expect(codeOf(() => books.begin(account, 'practice', 'k', request))).toBe('bad-token')
    expect(codeOf(() => books.begin(account, 'live', 'k', { ...request, method: 'made up' }))).toBe('bad-token')
    expect(books.payments.size).toBe(before)
  })
})

it('gives back whole payments only, once', () => {
  const { books, account, approve } = opened()
  const { id, amount } = approve()
  expect(codeOf(() => books.refund(account.id, 'live', id, 'r1', amount - 1))).toBe('whole-only')
  expect(codeOf(() => books.refund(account.id, 'live', id, 'r2', amount + 1))).toBe('too-much')
  const refund = books.refund(account.id, 'live', id, 'r3', amount)
  expect(books.refund(account.id, 'live', id, 'r3', amount)).toEqual(refund)
  expect(codeOf(() => books.refund(account.id, 'live', id, 'r4', amount))).toBe('too-much')
  expect(books.payments.get(id)?.refunded).toBe(amount)
})

it('whatever happens to approvals, a restart knows what was known, and nothing is charged by an ended one', () => {
  const behaviours = SAMPLE_WALLETS.map(({ behaviour }) => behaviour)
  const steps = fc.array(
    fc.oneof(
      fc.record({ do: fc.constant('approve' as const), behaviour: fc.constantFrom(...behaviours) }),
      fc.record({ do: fc.constant('charge' as const), of: fc.nat({ max: 4 }) }),
      fc.record({ do: fc.constant('end' as const), of: fc.nat({ max: 4 }) }),
    ),
    { maxLength: 25 },
  )
  fc.assert(
    fc.property(steps, (all) => {
      const file = join(mkdtempSync(join(tmpdir(), 'moor-')), 'moor.jsonl')
      const { books, approve, charge } = opened(file)
      const given: string[] = []
      const ended = new Set<string>()
      for (const step of all) {
        if (step.do === 'approve') {
          const { method } = approve({}, step.behaviour)
          if (method) given.push(method)
          continue
        }
        const method = given[step.of]
        if (!method) continue
        if (step.do === 'end') {
          books.endApproval(method)
          ended.add(method)
        } else {
          const { state } = charge(method)
          if (ended.has(method)) expect(state).toBe('declined')
        }
      }
      const again = new WalletBooks(file)
      expect([...again.payments.values()]).toEqual([...books.payments.values()])
      expect([...again.approvals.values()]).toEqual([...books.approvals.values()])
    }),
    { numRuns: 60 },
  )
})
