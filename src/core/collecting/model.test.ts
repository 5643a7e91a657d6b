import fc from 'fast-check'
import { expect, it } from 'vitest'
import { addDays, after, later, type Span } from '../calendar/day.ts'
import { quote } from '../quote/quote.ts'
import { readRehearsal } from './read.ts'
import { rehearse } from './rehearse.ts'

/**
 * The collecting rules once more, as slowly and plainly as they read: each payment has a day on which it was paid or
 * none, and every question is answered by looking at all payments and all days anew. It shares with the product only
 * the quote, and the order of days in the calendar.
 */

interface Slot {
  n: number
  kind: string
  due: string
  pay: number
  paid: string | null
}

interface Access {
  from?: string
  lasts?: 'whilePaying' | Span
  graceDays: number
}

interface Case {
  terms: { kind: string; every?: Span; trial?: { length: Span } }
  access: Access
  attempts: ('ok' | 'declined')[]
  events: { after: number; what: 'pay' | 'now' | 'period-end' }[]
  retryAfterDays: number[]
  days: number
}

const PURCHASED = '2027-01-31'

function documentOf({ terms, access, attempts, events, retryAfterDays, days }: Case) {
  const isSubscription = terms.kind === 'subscription'
  return {
    quote: {
      currency: 'EUR',
      timeZone: 'UTC',
      at: `${PURCHASED}T09:00:00Z`,
      horizon: 120,
      lines: [{ role: 'main', offer: { id: 'o', courses: [{ id: 'c' }], terms, access } }],
      coupons: [{ code: 'ALL', kind: 'percent', rate: 10_000, payments: 2 }],
      codes: attempts.length % 3 === 0 ? ['all'] : [],
    },
    policy: { retryAfterDays },
    attempts,
    events: events.map(({ after: offset, what }) => {
      const on = addDays(PURCHASED, Math.min(offset, days))
      return what === 'pay' || !isSubscription
        ? { on, line: 0, what: 'pay' }
        : { on, line: 0, what: 'cancel', when: what }
    }),
    until: addDays(PURCHASED, days),
  }
}

/** The rules, read aloud. */
function model(document: ReturnType<typeof documentOf>, { terms, access, retryAfterDays }: Case) {
  const { request } = readRehearsal(document)
  const quoted = quote(request)
  const line = quoted.lines[0] as (typeof quoted.lines)[number]
  const isSubscription = terms.kind === 'subscription'
  const outcomes = [...document.attempts]
  const attempt = () => outcomes.shift() ?? 'ok'
  const first = { pay: quoted.today.pay, outcome: quoted.today.pay === 0 ? 'none' : attempt() }
  if (first.outcome === 'declined') return { first, placed: false, log: [], lines: null }

  const all: Slot[] = line.payments.map(({ n, kind, due, pay }) => ({
    n,
    kind,
    due,
    pay,
    paid: due === PURCHASED ? PURCHASED : null,
  }))
  const numbered = all.filter(({ n }) => n > 0)
  const isAgreed = numbered.some(({ due }) => due > PURCHASED) || line.untilCancelled
  let state = isAgreed ? 'going on' : 'paid'
  let cancelled: { on: string; now: boolean } | null = null
  /** The days on which the next payment was tried. */
  let tried: string[] = []
  const log: { on: string; line: number; what: string; n: number | null; pay: number | null }[] = []
  const row = (on: string, what: string, slot?: Slot) =>
    log.push({ on, line: 0, what, n: slot?.n ?? null, pay: slot?.pay ?? null })

  const nextPayment = () => numbered.find(({ paid }) => paid === null)
  const nextTry = (): string | null => {
    const slot = nextPayment()
    if (state !== 'going on' || !slot) return null
    const lastPaid = numbered
      .map(({ paid }) => paid ?? '')
      .sort()
      .at(-1) as string
    const start = tried[0] ?? later(lastPaid, slot.due)
    return tried.length === 0 ? start : addDays(start, retryAfterDays[tried.length - 1] as number)
  }
  const settle = (day: string, slot: Slot) => {
    slot.paid = day
    tried = []
    row(day, slot.pay === 0 ? 'settled' : 'collected', slot)
    if (!nextPayment() && !line.untilCancelled) {
      state = 'completed'
      row(day, 'completed')
    }
  }
  const closes = (day: string): string | null => {
    const { lasts, graceDays, from } = access
    if (lasts === undefined) return null
    const opens = from && from > PURCHASED ? from : PURCHASED
    if (lasts !== 'whilePaying') return after(opens, 1, lasts)
    const anchor = terms.trial ? after(PURCHASED, 1, terms.trial.length) : PURCHASED
    const paid = all.filter((slot) => slot.kind === 'regular' && slot.paid !== null && slot.paid <= day)
    if (paid.length === 0 && cancelled && cancelled.on <= day) return anchor
    return addDays(after(anchor, paid.length, terms.every as Span), graceDays)
  }
  const isOpen = (day: string): boolean => {
    if (access.from && day < access.from) return false
    const end = closes(day)
    if (end !== null && day >= end) return false
    if (cancelled?.now && cancelled.on <= day) return false
    if (access.lasts === 'whilePaying') return true
    return numbered.every((slot) => {
      if (slot.paid !== null && slot.paid <= day) return true
      if (addDays(slot.due, access.graceDays) > day) return true
      return cancelled !== null && cancelled.on <= day && slot.due >= cancelled.on
    })
  }

  const openDays: string[] = []
  for (let day = PURCHASED; day <= document.until; day = addDays(day, 1)) {
    for (const event of document.events.filter(({ on }) => on === day)) {
      if (event.what === 'pay') {
        const isPayable = state === 'going on' || (state === 'stopped' && !isSubscription)
        const due = isPayable ? numbered.filter((slot) => slot.paid === null && slot.due <= day) : []
        if (due.length === 0) row(day, 'nothing-due')
        else state = 'going on'
        for (const slot of due) settle(day, slot)
      } else if (state === 'going on') {
        state = 'cancelled'
        cancelled = { on: day, now: event.when === 'now' }
        row(day, 'cancelled')
      } else row(day, 'nothing-to-cancel')
    }
    while (nextTry() === day) {
      const slot = nextPayment() as Slot
      if (slot.pay === 0 || attempt() === 'ok') settle(day, slot)
      else {
        tried.push(day)
        row(day, 'declined', slot)
        if (tried.length > retryAfterDays.length) {
          state = 'stopped'
          row(day, 'stopped')
        }
      }
    }
    if (isOpen(day)) openDays.push(day)
  }

  const sum = (slots: Slot[]) => slots.reduce((total, { pay }) => total + pay, 0)
  const unpaid = numbered.filter(({ paid }) => paid === null)
  const isOwed = state === 'going on' || (state === 'stopped' && !isSubscription)
  const late = isOwed ? unpaid.filter(({ due }) => due <= document.until) : []
  const on = nextTry()
  const slot = nextPayment()
  const access_: { from: string; to: string | null }[] = []
  for (const day of openDays) {
    const last = access_.at(-1)
    if (last?.to === day) last.to = addDays(day, 1)
    else access_.push({ from: day, to: addDays(day, 1) })
  }
  for (const span of access_) if (span.to !== null && span.to > document.until) span.to = null
  const end = closes(document.until)
  return {
    first,
    placed: true,
    log,
    lines: [
      {
        offer: 'o',
        state: state !== 'going on' ? state : late.length > 0 ? 'overdue' : 'active',
        collected: sum(all.filter(({ paid }) => paid !== null)),
        late: sum(late),
        toCome: !isOwed ? 0 : line.untilCancelled ? null : sum(unpaid),
        next: on !== null && on > document.until && slot ? { n: slot.n, on, pay: slot.pay } : null,
        access: access_,
        closes: cancelled?.now && (end === null || cancelled.on < end) ? cancelled.on : end,
      },
    ],
  }
}

const span: fc.Arbitrary<Span> = fc.constantFrom(
  { count: 1, unit: 'month' },
  { count: 2, unit: 'week' },
  { count: 10, unit: 'day' },
  { count: 3, unit: 'month' },
)
const trial = fc.option(fc.record({ length: span, amount: fc.constantFrom(0, 300) }), { nil: undefined })
const terms = fc.oneof(
  fc.record({
    kind: fc.constant('installments'),
    count: fc.integer({ min: 2, max: 8 }),
    every: span,
    total: fc.integer({ min: 8, max: 999 }),
    trial,
  }),
  fc.record({
    kind: fc.constant('installments'),
    count: fc.integer({ min: 2, max: 5 }),
    every: span,
    amount: fc.constant(500),
    deposit: fc.constant(1000),
  }),
  fc.record({
    kind: fc.constant('subscription'),
    every: span,
    amount: fc.constant(1900),
    payments: fc.option(fc.integer({ min: 1, max: 9 }), { nil: undefined }),
    setupFee: fc.constantFrom(0, 250),
    trial,
  }),
  fc.record({ kind: fc.constant('single'), amount: fc.constant(4900) }),
)
const cases: fc.Arbitrary<Case> = terms.chain((some) =>
  fc.record({
    terms: fc.constant(some),
    access: fc.oneof(
      fc.record({ graceDays: fc.constantFrom(0, 3, 20), lasts: fc.option(span, { nil: undefined }) }),
      some.kind === 'subscription'
        ? fc.record({ graceDays: fc.constantFrom(0, 3, 20), lasts: fc.constant('whilePaying' as const) })
        : fc.record({ graceDays: fc.constantFrom(0, 3), from: fc.constant('2027-02-20') }),
    ),
    attempts: fc
      .tuple(
        fc.constantFrom('ok' as const, 'ok' as const, 'declined' as const),
        fc.array(fc.constantFrom('ok' as const, 'declined' as const, 'declined' as const), { maxLength: 12 }),
      )
      .map(([first, more]) => [first, ...more]),
    events: fc.array(
      fc.record({
        // Most often on days on which something is due.
        after: fc.oneof(fc.integer({ min: 0, max: 240 }), fc.constantFrom(0, 10, 14, 20, 28, 30, 42, 59, 89, 120)),
        what: fc.constantFrom('pay' as const, 'pay' as const, 'now' as const, 'period-end' as const),
      }),
      { maxLength: 5 },
    ),
    retryAfterDays: fc.constantFrom([], [1], [1, 3, 7], [2, 40], [60]),
    days: fc.constantFrom(0, 30, 120, 240),
  }),
)

it('rehearses what the rules say, whatever is sold, declined, paid and cancelled', () => {
  let placed = 0
  fc.assert(
    fc.property(cases, (some) => {
      const document = documentOf(some)
      const expected = model(document, some)
      const { lines, ...rehearsed } = rehearse(readRehearsal(document))
      expect({ ...rehearsed, lines: rehearsed.placed ? lines : null }).toEqual(expected)
      if (rehearsed.placed) placed++
    }),
    { numRuns: 2000 },
  )
  // The cases reach past the first charge.
  expect(placed).toBeGreaterThan(800)
})
