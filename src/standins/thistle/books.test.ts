import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { describe, expect, it } from 'vitest'
import { Books } from './books.ts'
import { cardProblem, SAMPLE_CARDS } from './cards.ts'

const newFile = () => join(mkdtempSync(join(tmpdir(), 'books-')), 'thistle.jsonl')
const request = (token: string) => ({ amount: 500, currency: 'EUR', token, reference: 'r', statement: 's' })

describe('the books', () => {
  it('remember accounts, payments, refunds and kept cards after a restart, and no card number', () => {
    const file = newFile()
    const books = new Books(file)
    const account = books.openAccount('School')
    const { token } = books.tokenise(account.id, 'practice', SAMPLE_CARDS[0].number)
    const { payment } = books.begin(account, 'practice', 'key', { ...request(token), keep: true })
    books.refund(account.id, 'practice', payment.id, 'refund', 200)

    const again = new Books(file)
    expect(again.accounts.get(account.id)).toEqual(account)
    expect(again.byIdempotencyKey(account.id, 'practice', 'key')).toMatchObject({ state: 'captured', refunded: 200 })
    const later = again.begin(account, 'practice', 'later', {
      ...request(''),
      token: undefined,
      method: payment.method ?? '',
    })
    expect(later.payment).toMatchObject({ state: 'captured', ends: '4821' })
    expect(readFileSync(file, 'utf8')).not.toContain(SAMPLE_CARDS[0].number)
  })

  it('leave out a line that a crash cut off, and go on', () => {
    const file = newFile()
    const account = new Books(file).openAccount('School')
    writeFileSync(file, `${readFileSync(file, 'utf8')}{"kind":"pay`)
    expect(new Books(file).accounts.get(account.id)).toEqual(account)
  })

  it('keep the modes apart: a token, a key and a payment of one are unknown in the other', () => {
    const books = new Books(null)
    const account = books.openAccount('School')
    const { token } = books.tokenise(account.id, 'live', SAMPLE_CARDS[0].number)
    expect(() => books.begin(account, 'practice', 'key', request(token))).toThrow(/unknown or was used/)
    books.begin(account, 'live', 'key', request(token))
    expect(books.byIdempotencyKey(account.id, 'practice', 'key')).toBeUndefined()
    expect(books.authenticate(account.id, account.keys.live).mode).toBe('live')
  })

  it('take 1.7 % and 19 cents in euros, and no fixed part elsewhere', () => {
    const books = new Books(null)
    const account = books.openAccount('School')
    const fee = (currency: string, amount: number) => {
      const { token } = books.tokenise(account.id, 'practice', SAMPLE_CARDS[0].number)
      return books.begin(account, 'practice', `${currency}${amount}`, { ...request(token), currency, amount }).payment
        .fee
    }
    expect([fee('EUR', 12_900), fee('JPY', 12_900), fee('EUR', 5)]).toEqual([238, 219, 5])
  })

  it('refuse a confirmation by another link, and one that comes too late', () => {
    const books = new Books(null)
    const account = books.openAccount('School')
    const { token } = books.tokenise(account.id, 'practice', SAMPLE_CARDS[2].number)
    const { payment } = books.begin(account, 'practice', 'key', request(token))
    expect(() => books.confirm(payment.id, 'another', true)).toThrow(/not valid/)
    books.abandon(account.id, 'practice', 'key')
    expect(books.confirm(payment.id, payment.confirmSecret ?? '', true)).toMatchObject({
      changed: false,
      payment: { state: 'abandoned' },
    })
  })
})

it.each([
  ['1234', '04 / 31', '123', 'number'],
  ['9710223044004821', '13 / 31', '123', 'expiry'],
  ['9710223044004821', '04 / 20', '123', 'expiry'],
  ['9710223044004821', '0431', '123', 'expiry'],
  ['9710223044004821', '04 / 31', '12', 'code'],
])('a card %s, %s, %s is wrong at its %s', (number, expiry, code, field) => {
  expect(cardProblem({ number, expiry, code }, new Date('2026-11-25'))?.field).toBe(field)
})

it('a card is good through its month', () => {
  const card = { number: '9710 2230 4400 4821', expiry: '11 / 26', code: '123' }
  expect(cardProblem(card, new Date('2026-11-30T23:00:00Z'))).toBeNull()
  expect(cardProblem(card, new Date('2026-12-01T00:00:00Z'))?.field).toBe('expiry')
})
