import { describe, expect, it } from 'vitest'
import { addDays, type Day } from '../calendar/day.ts'
import { quote } from '../quote/quote.ts'
import { readQuoteRequest } from '../quote/read.ts'
import { type Agreement, afterCancelled, afterCollected, beginAgreement } from './agreement.ts'
import { formatWhyGiven, formatWhyOpen } from './why.ts'

const month = { count: 1, unit: 'month' }
const monthly = { kind: 'subscription', amount: 1900, every: month, payments: 12 }
const endless = { kind: 'subscription', amount: 1900, every: month }
const parts = { kind: 'installments', count: 3, every: month, amount: 4300 }
const whilePaying = { lasts: 'whilePaying', graceDays: 3 }

interface TestCase {
  /** Payments collected on their days, the first included. */
  paid: number
  today: Day
  cancelled?: { on: Day; when: 'now' | 'period-end' }
}

function why(terms: object, access: object, { paid, today, cancelled }: TestCase): string {
  const request = readQuoteRequest({
    currency: 'EUR',
    timeZone: 'Europe/Vienna',
    at: '2027-01-01T09:00:00+01:00',
    lines: [{ role: 'main', offer: { id: 'o', courses: [{ id: 'c' }], terms, access } }],
  })
  const { purchaseDay, lines } = quote(request)
  const line = lines[0] as (typeof lines)[number]
  const offer = request.lines[0]?.offer as NonNullable<(typeof request.lines)[number]>['offer']
  let agreement = beginAgreement(line, offer.terms.kind, purchaseDay) as Agreement
  while (agreement.collected < paid) {
    agreement = afterCollected(agreement, agreement.payments[agreement.collected]?.due as Day)
  }
  if (cancelled) agreement = afterCancelled(agreement, cancelled.on, cancelled.when) as Agreement
  return formatWhyOpen({
    phase: { ...offer, purchaseDay, placedOn: purchaseDay },
    agreement,
    today,
    method: 'card ending 4821',
    language: 'en',
  })
}

describe('while it is paid', () => {
  it('says through which day it is paid, and the payment that did it', () => {
    expect(why(monthly, whilePaying, { paid: 3, today: '2027-03-10' })).toBe(
      'Open until 4 April 2027: paid through 1 April 2027, plus 3 days of grace; payment 3 of 12 collected on 1 March 2027 by card ending 4821.',
    )
  })

  it('says since when it is closed, and how far a cancelled one is open', () => {
    expect(why(endless, whilePaying, { paid: 1, today: '2027-02-04' })).toBe(
      'Closed since 4 February 2027: paid through 1 February 2027, plus 3 days of grace; payment 1 collected on 1 January 2027 by card ending 4821.',
    )
    const cancelled = { on: '2027-01-20', when: 'period-end' as const }
    expect(why(endless, { ...whilePaying, graceDays: 0 }, { paid: 1, today: '2027-01-20', cancelled })).toBe(
      'Open until 1 February 2027: paid through 1 February 2027; payment 1 collected on 1 January 2027 by card ending 4821.',
    )
    expect(
      why(endless, whilePaying, { paid: 1, today: '2027-01-20', cancelled: { on: '2027-01-20', when: 'now' } }),
    ).toBe('Closed on 20 January 2027: cancelled on that day.')
  })

  it('says that nothing was due in a trial', () => {
    const trial = { length: { count: 14, unit: 'day' }, amount: 0 }
    expect(why({ ...endless, trial }, whilePaying, { paid: 0, today: '2027-01-02' })).toBe(
      'Open until 18 January 2027: paid through 15 January 2027, plus 3 days of grace; nothing due so far.',
    )
  })
})

describe('in parts', () => {
  const forGood = { graceDays: 7 }

  it('says which payment shuts it, and that it did', () => {
    const asked = { paid: 1, today: '2027-01-15' }
    expect(why(parts, forGood, asked)).toBe(
      'Open for good, as long as the payment due on 1 February 2027 is paid; otherwise access is paused on 8 February 2027, after 7 days of grace; payment 1 of 3 collected on 1 January 2027 by card ending 4821.',
    )
    expect(why(parts, forGood, { ...asked, today: addDays('2027-02-08', -1) })).toMatch(/^Open for good, as long/)
    expect(why(parts, forGood, { ...asked, today: '2027-02-08' })).toBe(
      'Paused since 8 February 2027: the payment due on 1 February 2027 is not paid, and its 7 days of grace are over; payment 1 of 3 collected on 1 January 2027 by card ending 4821.',
    )
  })

  it('says when it opens, where that is still ahead', () => {
    const asked = { paid: 1, today: '2027-01-15' }
    expect(why(parts, { from: '2027-01-20' }, asked)).toMatch(
      /^Opens on 20 January 2027, for good, as long as the payment/,
    )
    expect(why(parts, { from: '2027-01-20' }, { ...asked, today: '2027-01-20' })).toMatch(/^Open for good, as long/)
  })

  it('names no payment of one that is cancelled and stays open', () => {
    const cancelled = { on: '2027-01-10', when: 'period-end' as const }
    expect(why(endless, forGood, { paid: 1, today: '2027-01-15', cancelled })).toBe(
      'Open for good; payment 1 collected on 1 January 2027 by card ending 4821.',
    )
  })

  it('names no payment once all came, nor once it is closed anyway', () => {
    expect(why(parts, forGood, { paid: 3, today: '2027-05-01' })).toBe(
      'Open for good; payment 3 of 3 collected on 1 March 2027 by card ending 4821.',
    )
    const short = { graceDays: 0, lasts: { count: 2, unit: 'week' } }
    expect(why(parts, short, { paid: 1, today: '2027-01-20' })).toBe(
      'Closed since 15 January 2027; payment 1 of 3 collected on 1 January 2027 by card ending 4821.',
    )
  })
})

it.each([
  [{ opens: '2027-01-01', closes: null, note: null }, 'Open for good, from 1 January 2027: bought.'],
  [{ opens: '2027-01-01', closes: '2027-06-01', note: null }, 'Open until 1 June 2027, from 1 January 2027: bought.'],
  [
    { opens: '2027-01-01', closes: '2027-02-01', note: null },
    'Closed since 1 February 2027; it was open from 1 January 2027: bought.',
  ],
  [
    { opens: '2027-01-01', closes: null, note: null, membership: { of: ['Paper'], isOpen: true, since: null } },
    'Open as long as the membership in Paper lasts, from 1 January 2027: bought.',
  ],
  [
    {
      ...{ opens: '2027-01-01', closes: null, note: null },
      membership: { of: ['Paper', 'Boxes'], isOpen: false, since: '2027-01-20' },
    },
    'Closed since 20 January 2027: the membership in “Paper” or “Boxes” has ended. A new one opens it again; bought.',
  ],
  [{ opens: '2027-03-01', closes: null, note: 'raffle' }, 'Opens on 1 March 2027: given by the school, “raffle”.'],
])('says of %j that %s', (grant, words) => {
  expect(formatWhyGiven({ ...grant, today: '2027-02-01', language: 'en' })).toBe(words)
})
