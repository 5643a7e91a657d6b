import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { answerText } from '../commands/command.ts'
import { readRehearsal } from './read.ts'
import { rehearse } from './rehearse.ts'

const month = { count: 1, unit: 'month' }
const parts = { kind: 'installments', count: 3, every: month, total: 12_900 }
const monthly = { kind: 'subscription', amount: 1900, every: month }
const whilePaying = { access: { lasts: 'whilePaying', graceDays: 3 } }
const line = (terms: object, more: object = {}, id = 'o') => ({
  role: 'main',
  offer: { id, courses: [{ id: `c-${id}` }], terms, ...more },
})

function asked(lines: object[], more: object = {}, quoteMore: object = {}) {
  return {
    quote: { currency: 'EUR', timeZone: 'Europe/Vienna', at: '2027-01-31T09:30:00+01:00', lines, ...quoteMore },
    until: '2027-12-31',
    ...more,
  }
}
const run = (document: object) => rehearse(readRehearsal(document))
const said = (document: object) =>
  run(document).log.map(({ on, what, n }) => `${on.slice(5)} ${what}${n === null ? '' : ` ${n}`}`)
const pay = (on: string, at = 0) => ({ on, line: at, what: 'pay' })
const cancel = (on: string, when: string) => ({ on, line: 0, what: 'cancel', when })

describe('trying', () => {
  it('on the due day, then again as the policy says, counted from the first try', () => {
    const document = asked([line(parts)], { attempts: ['ok', 'declined', 'declined', 'ok'] })
    expect(said(document)).toEqual([
      '02-28 declined 2',
      '03-01 declined 2',
      '03-03 collected 2',
      '03-31 collected 3',
      '03-31 completed',
    ])
  })

  it('stops at the last try; what is unpaid is still owed by a plan', () => {
    const document = asked([line(parts)], { attempts: ['ok', 'declined'], policy: { retryAfterDays: [] } })
    expect(said(document)).toEqual(['02-28 declined 2', '02-28 stopped'])
    expect(run(document).lines[0]).toMatchObject({
      state: 'stopped',
      collected: 4300,
      late: 8600,
      toCome: 8600,
      next: null,
    })
  })

  it('a stopped subscription owes nothing more', () => {
    const document = asked([line(monthly)], { attempts: ['ok', 'declined'], policy: { retryAfterDays: [] } })
    expect(run(document).lines[0]).toMatchObject({ state: 'stopped', late: 0, toCome: 0, next: null })
  })

  it('a payment collected late is followed by the next on the same day, if that is due', () => {
    const weekly = { kind: 'installments', count: 3, every: { count: 3, unit: 'day' }, total: 300 }
    const document = asked([line(weekly)], { attempts: ['ok', 'declined', 'declined', 'declined'] })
    expect(said(document)).toEqual([
      '02-03 declined 2',
      '02-04 declined 2',
      '02-06 declined 2',
      '02-10 collected 2',
      '02-10 collected 3',
      '02-10 completed',
    ])
  })

  it('payments that a code took wholly are settled without an attempt', () => {
    const coupons = [{ code: 'ALL', kind: 'percent', rate: 10_000, payments: 2 }]
    const document = asked([line(parts)], { attempts: ['declined'] }, { coupons, codes: ['ALL'] })
    expect(run(document).first).toEqual({ pay: 0, outcome: 'none' })
    expect(said(document)).toEqual(['02-28 settled 2', '03-31 declined 3', '04-01 collected 3', '04-01 completed'])
  })

  it('a subscription until cancelled goes on beyond any horizon', () => {
    const { lines } = run(asked([line(monthly)], { until: '2029-01-30' }))
    expect(lines[0]).toMatchObject({
      state: 'active',
      collected: 24 * 1900,
      toCome: null,
      next: { n: 25, on: '2029-01-31' },
    })
  })
})

describe('the first charge', () => {
  it('declined, sells nothing', () => {
    expect(run(asked([line(parts)], { attempts: ['declined'] }))).toEqual({
      placed: false,
      first: { pay: 4300, outcome: 'declined' },
      log: [],
      lines: [{ offer: 'o', state: 'none', collected: 0, late: 0, toCome: 0, next: null, access: [], closes: null }],
    })
  })

  it('is one for all lines; a one-time line has no agreement', () => {
    const { lines } = run(
      asked([line({ kind: 'single', amount: 500 }, {}, 'a'), line(monthly, {}, 'b')], { attempts: ['ok', 'ok'] }),
    )
    expect(lines.map(({ state }) => state)).toEqual(['paid', 'active'])
  })
})

describe('what the buyer does', () => {
  it('pays by hand all that is due; a stopped plan goes on with a full series of tries', () => {
    const document = asked([line(parts)], {
      attempts: ['ok', 'declined', 'declined'],
      policy: { retryAfterDays: [2] },
      events: [pay('2027-03-10')],
    })
    expect(said(document)).toEqual([
      '02-28 declined 2',
      '03-02 declined 2',
      '03-02 stopped',
      '03-10 collected 2',
      '03-31 collected 3',
      '03-31 completed',
    ])
  })

  it('cannot revive a stopped subscription, nor pay what is not due', () => {
    const document = asked([line(monthly)], {
      attempts: ['ok', 'declined'],
      policy: { retryAfterDays: [] },
      events: [pay('2027-02-10'), pay('2027-03-10')],
    })
    expect(said(document)).toEqual(['02-10 nothing-due', '02-28 declined 2', '02-28 stopped', '03-10 nothing-due'])
  })

  it('cancels once; what is unpaid is let go', () => {
    const document = asked([line(monthly)], {
      events: [cancel('2027-02-10', 'period-end'), cancel('2027-02-11', 'now')],
    })
    expect(said(document)).toEqual(['02-10 cancelled', '02-11 nothing-to-cancel'])
    expect(run(document).lines[0]).toMatchObject({ state: 'cancelled', late: 0, toCome: 0, next: null })
  })
})

describe('when the course is open', () => {
  const spans = (document: object) => run(document).lines[0]?.access

  it('while paying: through the day paid, and its grace', () => {
    const document = asked([line(monthly, whilePaying)], { events: [cancel('2027-03-10', 'period-end')] })
    expect(spans(document)).toEqual([{ from: '2027-01-31', to: '2027-04-03' }])
    expect(run(document).lines[0]?.closes).toBe('2027-04-03')
  })

  it('while paying, a retry that comes after the grace shuts and opens again', () => {
    const document = asked([line(monthly, { access: { lasts: 'whilePaying' } })], {
      attempts: ['ok', 'declined'],
      until: '2027-03-20',
    })
    expect(spans(document)).toEqual([
      { from: '2027-01-31', to: '2027-02-28' },
      { from: '2027-03-01', to: null },
    ])
  })

  it('cancelled now, it closes on that day', () => {
    const document = asked([line(monthly)], { events: [cancel('2027-02-10', 'now')] })
    expect(spans(document)).toEqual([{ from: '2027-01-31', to: '2027-02-10' }])
    expect(run(document).lines[0]?.closes).toBe('2027-02-10')
  })

  it('overdue past the grace it is shut until it is paid; cancelling does not open it again', () => {
    const late = { attempts: ['ok', 'declined'], policy: { retryAfterDays: [] } }
    const grace = { access: { graceDays: 5 } }
    expect(spans(asked([line(parts, grace)], { ...late, events: [pay('2027-03-10')] }))).toEqual([
      { from: '2027-01-31', to: '2027-03-05' },
      { from: '2027-03-10', to: null },
    ])
    const overdue = { attempts: ['ok', 'declined', 'declined', 'declined'], policy: { retryAfterDays: [1, 3, 30] } }
    expect(spans(asked([line(monthly, grace)], { ...overdue, events: [cancel('2027-03-20', 'period-end')] }))).toEqual([
      { from: '2027-01-31', to: '2027-03-05' },
    ])
  })

  it('opens later where the offer says so', () => {
    expect(
      spans(asked([line({ kind: 'single', amount: 1 }, { access: { from: '2027-03-01', lasts: month } })])),
    ).toEqual([{ from: '2027-03-01', to: '2027-04-01' }])
  })
})

describe('bad input names the field at fault', () => {
  it.each<[string, object]>([
    ['/quote/lines/0/offer/terms/amount', asked([line({ kind: 'single', amount: 0 })])],
    [
      '/quote/lines/0/offer/access/lasts/until',
      asked([line({ kind: 'single', amount: 1 }, { access: { lasts: { until: '2027-01-01' } } })]),
    ],
    ['/until', asked([line(parts)], { until: '2027-01-30' })],
    ['/until', asked([line(parts)], { until: '2037-02-01' })],
    ['/policy/retryAfterDays/1', asked([line(parts)], { policy: { retryAfterDays: [3, 3] } })],
    ['/policy/retryAfterDays', asked([line(parts)], { policy: { retryAfterDays: [1, 2, 3, 4, 5, 6, 7, 8, 9] } })],
    ['/attempts/1', asked([line(parts)], { attempts: ['ok', 'maybe'] })],
    ['/events/0/on', asked([line(parts)], { events: [pay('2028-01-01')] })],
    ['/events/0/line', asked([line(parts)], { events: [pay('2027-03-01', 1)] })],
    ['/events/0/line', asked([line(parts)], { events: [cancel('2027-03-01', 'now')] })],
    ['/events/0/when', asked([line(monthly)], { events: [{ on: '2027-03-01', line: 0, what: 'cancel' }] })],
    ['/events/0/when', asked([line(monthly)], { events: [{ ...pay('2027-03-01'), when: 'now' }] })],
    ['/policies', asked([line(parts)], { policies: {} })],
  ])('%s', (at, document) => {
    expect(answerText(JSON.stringify(document), (input) => rehearse(readRehearsal(input)))).toMatchObject({
      error: { at },
    })
  })
})

it('reads null as absent, also for a field of another event', () => {
  const absent = asked([line(parts)], { events: [pay('2027-03-01')] })
  const events = [{ ...pay('2027-03-01'), when: null }]
  expect(run(asked([line(parts)], { events, policy: { retryAfterDays: null }, attempts: null }))).toEqual(run(absent))
})

it('every payment is collected at most once, in order, and the figures add up, whatever happens', () => {
  const outcomes = fc.array(fc.constantFrom('ok', 'declined'), { maxLength: 20 })
  const days = fc
    .integer({ min: 0, max: 300 })
    .map((n) => new Date(Date.UTC(2027, 0, 31 + n)).toISOString().slice(0, 10))
  const events = fc.array(fc.record({ on: days, line: fc.constant(0), what: fc.constant('pay') }), { maxLength: 4 })
  fc.assert(
    fc.property(outcomes, events, fc.integer({ min: 2, max: 9 }), (attempts, payments, count) => {
      const document = asked([line({ ...parts, count })], { attempts, events: payments })
      const { placed, log, lines } = run(document)
      const [figures] = lines
      if (!placed || !figures) return
      const collected = log.filter(({ what }) => what === 'collected')
      expect(collected.map(({ n }) => n)).toEqual(collected.map((_, index) => index + 2))
      expect((figures.collected ?? 0) + (figures.toCome ?? 0)).toBe(12_900)
      expect(figures.late).toBeLessThanOrEqual(figures.toCome ?? 0)
      expect(log.map(({ on }) => on)).toEqual(log.map(({ on }) => on).sort())
      expect(run(document)).toEqual({ placed, first: run(document).first, log, lines })
    }),
  )
})
