import { mkdtempSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { describe, expect, it } from 'vitest'
import { codeOf } from '../../testing/refusals.ts'
import { HOURS_ON_ITS_WAY, TransferBooks, type TransferRequest } from './books.ts'

const HOUR = 3_600_000
function opened(file: string | null = null) {
  const clock = { at: Date.parse('2027-01-31T09:00:00Z') }
  const books = new TransferBooks(file, () => new Date(clock.at))
  const account = books.openAccount('School')
  let keys = 0
  const begin = (more: Partial<TransferRequest> = {}, when?: Date) =>
    books.begin(
      account,
      'practice',
      `key ${keys++}`,
      {
        ...{
          amount: 10_000,
          currency: 'EUR',
          return_url: 'http://school.example/back',
          reference: 'r',
          statement: 's',
        },
        ...more,
      },
      when,
    ).payment
  const send = (arrives: boolean | null = true, when?: Date) => {
    const payment = begin({}, when)
    return books.answer(payment.id, payment.confirmSecret ?? '', arrives).payment
  }
  return { books, account, clock, begin, send }
}

describe('a transfer', () => {
  it('is asked for, sent, on its way for hours, and then there', () => {
    const { books, clock, begin } = opened()
    const asked = begin()
    expect(asked).toMatchObject({ state: 'confirm', fee: 0, sentAt: null })
    const { payment: sent } = books.answer(asked.id, asked.confirmSecret ?? '', true)
    expect(sent).toMatchObject({ state: 'sent', fee: 0, confirmSecret: null, sentAt: '2027-01-31T09:00:00.000Z' })
    const almost = new Date(clock.at + HOURS_ON_ITS_WAY * HOUR - 1)
    expect(books.arrive(sent, almost)).toEqual({ payment: sent, changed: false })
    const { payment: there, changed } = books.arrive(sent, new Date(clock.at + HOURS_ON_ITS_WAY * HOUR))
    expect([changed, there.state, there.fee]).toEqual([true, 'captured', 75])
    expect(books.arrive(there, 'at-once')).toEqual({ payment: there, changed: false })
  })

  it('may be let arrive at once, or never arrive', () => {
    const { books, send } = opened()
    expect(books.arrive(send(), 'at-once').payment).toMatchObject({ state: 'captured' })
    expect(books.arrive(send(false), 'at-once').payment).toMatchObject({
      state: 'declined',
      reason: 'not-arrived',
      fee: 0,
    })
  })

  it('from which the payer went back is declined; an answer after that changes nothing', () => {
    const { books, begin } = opened()
    const payment = begin()
    const secret = payment.confirmSecret ?? ''
    expect(books.answer(payment.id, secret, null).payment).toMatchObject({
      state: 'declined',
      reason: 'refused-by-buyer',
    })
    expect(books.answer(payment.id, secret, true)).toMatchObject({ changed: false, payment: { state: 'declined' } })
  })

  it('that is asked for and not sent does not arrive', () => {
    const { books, begin } = opened()
    const payment = begin()
    expect(books.arrive(payment, 'at-once')).toEqual({ payment, changed: false })
  })

  it('goes by the clock of whoever asked: in practice time it may be sent days ahead', () => {
    const { books, clock, send } = opened()
    const ahead = new Date(clock.at + 40 * 24 * HOUR)
    const sent = send(true, ahead)
    expect(sent.sentAt).toBe(ahead.toISOString())
    expect(books.clockOf(sent)).toEqual(ahead)
    clock.at += 5 * HOUR
    expect(books.clockOf(sent).getTime()).toBe(ahead.getTime() + 5 * HOUR)
    expect(books.arrive(sent, new Date(clock.at)).changed).toBe(false)
    expect(books.arrive(sent, books.clockOf(sent)).payment.state).toBe('captured')
  })

  it('keeps no method, and must have a place to come back to', () => {
    const { begin, books } = opened()
    expect(codeOf(() => begin({ method: 'any' }))).toBe('bad-token')
    expect(codeOf(() => begin({ return_url: undefined }))).toBe('bad-request')
    expect(books.payments.size).toBe(0)
  })

  it('that is on its way cannot be closed; one that waits for its payer can', () => {
    const { books, account, begin, send } = opened()
    const sent = send()
    expect(books.abandon(account.id, 'practice', sent.key)).toEqual({ payment: sent, changed: false })
    const waiting = begin()
    expect(books.abandon(account.id, 'practice', waiting.key)).toMatchObject({
      changed: true,
      payment: { state: 'abandoned' },
    })
    expect(books.answer(waiting.id, waiting.confirmSecret ?? '', true)).toMatchObject({ changed: false })
  })
})

it('is given back in parts, up to what came', () => {
  const { books, account, send } = opened()
  const { payment } = books.arrive(send(), 'at-once')
  books.refund(account.id, 'practice', payment.id, 'r1', 4000)
  books.refund(account.id, 'practice', payment.id, 'r2', 6000)
  expect(codeOf(() => books.refund(account.id, 'practice', payment.id, 'r3', 1))).toBe('too-much')
})

it('a restart knows every transfer as it stood, and lets it arrive in its time', () => {
  const file = join(mkdtempSync(join(tmpdir(), 'brook-')), 'brook.jsonl')
  const { books, clock, begin, send } = opened(file)
  const [waiting, sent, there] = [begin(), send(), books.arrive(send(), 'at-once').payment]
  const again = new TransferBooks(file, () => new Date(clock.at))
  for (const payment of [waiting, sent, there]) expect(again.payments.get(payment.id)).toEqual(payment)
  const known = again.payments.get(sent.id) ?? sent
  expect(again.arrive(known, new Date(clock.at + HOURS_ON_ITS_WAY * HOUR)).payment.state).toBe('captured')
})
