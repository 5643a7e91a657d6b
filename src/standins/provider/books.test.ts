import { mkdtempSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { codeOf } from '../../testing/refusals.ts'
import { Books } from '../thistle/books.ts'
import { SAMPLE_CARDS } from '../thistle/cards.ts'
import { feeFor, type Mode } from './books.ts'

/** What every provider's books keep to, whatever they are asked in whatever order; the chaos run judges by them. */

type Command =
  | { do: 'begin'; key: number; card: number; amount: number }
  | { do: 'refund'; of: number; key: number; amount: number }
  | { do: 'abandon'; key: number }
  | { do: 'restart' }

const commands: fc.Arbitrary<Command> = fc.oneof(
  fc.record({
    do: fc.constant('begin' as const),
    key: fc.nat({ max: 6 }),
    card: fc.nat({ max: 2 }),
    amount: fc.constantFrom(100, 101, 4300),
  }),
  fc.record({
    do: fc.constant('refund' as const),
    of: fc.nat({ max: 6 }),
    key: fc.nat({ max: 8 }),
    amount: fc.constantFrom(0, 1, 50, 100, 4300, 9999),
  }),
  fc.record({ do: fc.constant('abandon' as const), key: fc.nat({ max: 6 }) }),
  fc.record({ do: fc.constant('restart' as const) }),
)

/** What the books must hold of a key, by what was asked before. */
interface Expected {
  state: 'captured' | 'declined' | 'confirm' | 'abandoned'
  amount: number
  refunded: number
}

const STATES = ['captured', 'declined', 'confirm'] as const

function play(all: readonly Command[], mode: Mode) {
  const file = join(mkdtempSync(join(tmpdir(), 'books-')), 'thistle.jsonl')
  let books = new Books(file)
  const account = books.openAccount('School')
  const expected = new Map<number, Expected>()
  const refunds = new Map<number, { of: number; amount: number }>()
  const keyOf = (n: number) => `key ${n}`
  const paymentOf = (n: number) => books.byIdempotencyKey(account.id, mode, keyOf(n))

  for (const command of all) {
    if (command.do === 'restart') books = new Books(file)
    if (command.do === 'begin') {
      const { key, card, amount } = command
      const { token } = books.tokenise(account.id, mode, (SAMPLE_CARDS[card] as (typeof SAMPLE_CARDS)[number]).number)
      const before = expected.get(key)
      const request = { amount, currency: 'EUR', token, reference: 'r', statement: 's' }
      const refused = codeOf(() => books.begin(account, mode, keyOf(key), request))
      // The same key for other money is refused; for the same, and once it is closed, nothing new happens.
      const isOther = before !== undefined && before.state !== 'abandoned' && before.amount !== amount
      expect(refused).toBe(isOther ? 'key-reused' : null)
      if (!before) expected.set(key, { state: STATES[card] as Expected['state'], amount, refunded: 0 })
    }
    if (command.do === 'abandon') {
      const before = expected.get(command.key)
      const { payment } = books.abandon(account.id, mode, keyOf(command.key))
      if (!before) expected.set(command.key, { state: 'abandoned', amount: 0, refunded: 0 })
      else if (before.state === 'confirm') before.state = 'abandoned'
      expect(payment.state).toBe(expected.get(command.key)?.state)
    }
    if (command.do === 'refund') {
      const of = expected.get(command.of)
      const id = paymentOf(command.of)?.id ?? 'no payment'
      const refused = codeOf(() => books.refund(account.id, mode, id, `refund ${command.key}`, command.amount))
      const isKnown = refunds.has(command.key)
      const left = of ? of.amount - of.refunded : 0
      if (isKnown) expect(refused).toBeNull()
      else if (!of) expect(refused).toBe('unknown-payment')
      else if (of.state !== 'captured') expect(refused).toBe('not-captured')
      else if (command.amount < 1 || command.amount > left) expect(refused).toBe('too-much')
      else {
        expect(refused).toBeNull()
        of.refunded += command.amount
        refunds.set(command.key, { of: command.of, amount: command.amount })
      }
    }
    for (const [key, held] of expected) expect(paymentOf(key)).toMatchObject(held)
    expect(books.payments.size).toBe(expected.size)
    expect(books.refunds.size).toBe(refunds.size)
  }
  return { books, account, expected, refunds }
}

describe('the books of a provider', () => {
  it('answer by a key as they did before, give back no more than came, and remember all of it', () => {
    fc.assert(
      fc.property(fc.array(commands, { maxLength: 40 }), fc.constantFrom<Mode>('practice', 'live'), (all, mode) => {
        const { books, account, expected } = play(all, mode)
        const captured = [...expected.values()].filter(({ state }) => state === 'captured')
        const listed = books.captured(account.id, mode, '2000-01-01T00:00:00Z', '').payments
        expect(listed.map(({ amount }) => amount).sort()).toEqual(captured.map(({ amount }) => amount).sort())
        const other: Mode = mode === 'live' ? 'practice' : 'live'
        expect(books.captured(account.id, other, '2000-01-01T00:00:00Z', '').payments).toEqual([])
      }),
      { numRuns: 120 },
    )
  })

  it('list what was collected page by page: all of it, once, oldest first', () => {
    let at = Date.parse('2027-01-31T09:00:00Z')
    const books = new Books(null, () => new Date(at))
    const account = books.openAccount('School')
    for (let n = 0; n < 237; n++) {
      // Some in the same moment.
      if (n % 3 === 0) at += 1000
      const { token } = books.tokenise(account.id, 'live', SAMPLE_CARDS[0].number)
      books.begin(account, 'live', `key ${n}`, {
        amount: 100 + n,
        currency: 'EUR',
        token,
        reference: 'r',
        statement: 's',
      })
    }
    const seen: string[] = []
    const moments: string[] = []
    let pages = 0
    for (let after: string | null = ''; after !== null; pages++) {
      const page: ReturnType<typeof books.captured> = books.captured(account.id, 'live', '2000-01-01', after)
      seen.push(...page.payments.map(({ key }) => key))
      moments.push(...page.payments.map(({ capturedAt }) => capturedAt ?? ''))
      after = page.next
    }
    expect(pages).toBe(3)
    expect(new Set(seen).size).toBe(237)
    expect(seen).toHaveLength(237)
    expect(moments).toEqual([...moments].sort())
    const since = moments[200] as string
    const late = books.captured(account.id, 'live', since, '').payments
    expect(late.length).toBe(moments.filter((moment) => moment >= since).length)
  })

  it('tell a payer’s page nothing without the secret of its link', () => {
    const books = new Books(null)
    const account = books.openAccount('School')
    const { token } = books.tokenise(account.id, 'live', SAMPLE_CARDS[2].number)
    const request = { amount: 500, currency: 'EUR', token, reference: 'r', statement: 's' }
    const { payment } = books.begin(account, 'live', 'key', request)
    expect(codeOf(() => books.asked(payment.id, 'guessed'))).toBe('wrong-link')
    expect(codeOf(() => books.asked('pay-none', ''))).toBe('unknown-payment')
    expect(books.asked(payment.id, payment.confirmSecret ?? '')).toMatchObject({ state: 'confirm', amount: 500 })
  })

  it('open an account with its own key of each mode alone', () => {
    const books = new Books(null)
    const [one, two] = [books.openAccount('One'), books.openAccount('Two')]
    expect(books.authenticate(one.id, one.keys.practice)).toMatchObject({ mode: 'practice' })
    expect(books.authenticate(one.id, one.keys.live)).toMatchObject({ mode: 'live' })
    expect(codeOf(() => books.authenticate(one.id, two.keys.live))).toBe('wrong-key')
    expect(codeOf(() => books.authenticate('nobody', one.keys.live))).toBe('unknown-account')
  })

  it('keep one listener for one address of an account and mode', () => {
    const books = new Books(null)
    const { id } = books.openAccount('School')
    const first = books.listen(id, 'practice', 'http://school.example/events')
    expect(books.listen(id, 'practice', 'http://school.example/events')).toBe(first)
    expect(books.listen(id, 'live', 'http://school.example/events').signingSecret).not.toBe(first.signingSecret)
    expect(books.listen(id, 'practice', 'http://school.example/other').id).not.toBe(first.id)
  })
})

it('a fee is never more than the payment, and grows with it', () => {
  fc.assert(
    fc.property(
      fc.nat({ max: 99_999_999_999 }),
      fc.nat({ max: 1000 }),
      fc.nat({ max: 500 }),
      fc.constantFrom('EUR', 'USD'),
      (amount, rate, fixed, currency) => {
        const fee = feeFor(amount, currency, rate, fixed)
        expect(fee).toBeLessThanOrEqual(amount)
        expect(feeFor(amount + 1, currency, rate, fixed)).toBeGreaterThanOrEqual(fee)
        const exact = (amount * rate) / 10_000 + (currency === 'EUR' ? fixed : 0)
        if (exact <= amount) expect(Math.abs(fee - exact)).toBeLessThanOrEqual(0.51)
      },
    ),
  )
})
