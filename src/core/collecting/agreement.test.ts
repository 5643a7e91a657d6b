import { expect, it } from 'vitest'
import { quote } from '../quote/quote.ts'
import { readQuoteRequest } from '../quote/read.ts'
import type { QuotedLine, QuotedOffer } from '../quote/types.ts'
import { type AccessBasis, closesAsItStands, suspendedForDebt } from './access.ts'
import {
  type Agreement,
  afterCancelled,
  afterCollected,
  afterDeclined,
  afterGivenBack,
  afterStopped,
  afterTakenBack,
  afterWrittenOff,
  beginAgreement,
  isNeverAsked,
  nextTryOf,
  owes,
  payableOn,
  restOf,
  taskOn,
} from './agreement.ts'

const RETRIES = [1, 3]
const PLAN = { kind: 'installments', count: 3, every: { count: 1, unit: 'month' }, total: 12_900 }
const MONTHLY = { kind: 'subscription', amount: 1900, every: { count: 1, unit: 'month' } }

/** What is agreed on 31 January 2027: the offer as it was quoted, and the agreement with its first payment collected. */
function agreed(terms: object, access: object = {}): { offer: QuotedOffer; agreement: Agreement } {
  const request = readQuoteRequest({
    currency: 'EUR',
    timeZone: 'UTC',
    at: '2027-01-31T09:00:00Z',
    lines: [{ role: 'main', offer: { id: 'o', courses: [{ id: 'c' }], terms, access } }],
  })
  const offer = request.lines[0]?.offer as QuotedOffer
  const agreement = beginAgreement(quote(request).lines[0] as QuotedLine, offer.terms.kind, '2027-01-31')
  return { offer, agreement: agreement as Agreement }
}

/** The offer's rules for who bought it on 31 January 2027. */
const bought = (offer: QuotedOffer, placedOn = '2027-01-31'): AccessBasis => ({
  ...offer,
  purchaseDay: '2027-01-31',
  placedOn,
})

it('is tried once a day at most, and again so many days after its first try, also where nobody worked', () => {
  const { agreement } = agreed(PLAN)
  expect(nextTryOf(agreement, RETRIES)).toBe('2027-02-28')
  // Nobody worked for a week: the first try is late, and the others are counted from it.
  const once = afterDeclined(agreement, RETRIES, '2027-03-07')
  expect(nextTryOf(once, RETRIES)).toBe('2027-03-08')
  expect(nextTryOf(afterDeclined(once, RETRIES, '2027-03-08'), RETRIES)).toBe('2027-03-10')
  // Nobody worked again, beyond the day of the last try: it is tried at once, but not twice on that day.
  const twice = afterDeclined(once, RETRIES, '2027-03-20')
  expect(nextTryOf(twice, RETRIES)).toBe('2027-03-21')
  expect(taskOn(twice, RETRIES, '2027-03-20')).toBeNull()
  expect(taskOn(twice, RETRIES, '2027-03-21')).toMatchObject({ do: 'try', payment: { n: 2 } })
  expect(afterDeclined(twice, RETRIES, '2027-03-21').state).toBe('stopped')
})

it('after a payment that came late the next is tried on that day, not on one that is past', () => {
  const { agreement } = agreed(PLAN)
  expect(nextTryOf(afterCollected(agreement, '2027-04-15'), RETRIES)).toBe('2027-04-15')
  expect(nextTryOf(afterCollected(agreement, '2027-03-01'), RETRIES)).toBe('2027-03-31')
})

it('money that was on its way when it was cancelled is collected, and it stays cancelled', () => {
  const cancelled = afterCancelled(agreed(MONTHLY).agreement, '2027-02-10', 'period-end') as Agreement
  const paid = afterCollected(cancelled, '2027-02-11')
  expect(paid).toMatchObject({ state: 'cancelled', collected: 2, lastCollected: '2027-02-11' })
  expect(nextTryOf(paid, RETRIES)).toBeNull()
  const plan = agreed(PLAN).agreement
  const writtenOff = afterWrittenOff(afterStopped(plan) as Agreement, '2027-03-01') as Agreement
  expect(afterCollected(afterCollected(writtenOff, '2027-03-02'), '2027-03-02').state).toBe('cancelled')
})

it('a cancelling can be taken back up to the day of the next payment, and not after it', () => {
  const cancelled = afterCancelled(agreed(MONTHLY).agreement, '2027-02-10', 'period-end') as Agreement
  expect(afterTakenBack(cancelled, '2027-02-28')).toMatchObject({ state: 'active', cancelled: null })
  expect(afterTakenBack(cancelled, '2027-03-01')).toBeNull()
})

it('a stopped plan owes and can be paid by hand; a stopped subscription cannot', () => {
  const [plan, monthly] = [agreed(PLAN), agreed(MONTHLY)].map(({ agreement }) => afterStopped(agreement) as Agreement)
  expect([plan, monthly].map((stopped) => owes(stopped as Agreement))).toEqual([true, false])
  expect(payableOn(plan as Agreement, '2027-03-31').map(({ n }) => n)).toEqual([2, 3])
  expect(payableOn(monthly as Agreement, '2027-03-31')).toEqual([])
})

it('a payment that was moved to a later day keeps the course open to that day, and its grace', () => {
  const { offer, agreement } = agreed(MONTHLY, { lasts: 'whilePaying', graceDays: 3 })
  expect(closesAsItStands(bought(offer), agreement, 0)).toBe('2027-03-03')
  const [first, second, ...rest] = agreement.payments
  const moved = { ...agreement, payments: [first, { ...second, due: '2027-03-20' }, ...rest] } as Agreement
  expect(closesAsItStands(bought(offer), moved, 0)).toBe('2027-03-23')
})

it('a span counts from the day on which the order was paid; what is paid while it lasts, from the purchase', () => {
  const year = agreed(PLAN, { lasts: { count: 1, unit: 'year' }, graceDays: 3 })
  expect(closesAsItStands(bought(year.offer, '2027-02-20'), year.agreement, 1)).toBe('2028-02-20')
  expect(closesAsItStands(bought(year.offer), year.agreement, 1)).toBe('2028-01-31')
  const monthly = agreed(MONTHLY, { lasts: 'whilePaying', graceDays: 0 })
  expect(closesAsItStands(bought(monthly.offer, '2027-02-20'), monthly.agreement, 1)).toBe('2027-02-28')
})

it('a debt shuts the course after its grace, of what is cancelled only where it was due before', () => {
  const { offer, agreement } = agreed(MONTHLY, { graceDays: 3 })
  expect(suspendedForDebt(offer, agreement)).toBe('2027-03-03')
  const cancel = (on: string) => suspendedForDebt(offer, afterCancelled(agreement, on, 'period-end'))
  expect(cancel('2027-02-28')).toBeNull()
  expect(cancel('2027-03-01')).toBe('2027-03-03')
})

it('who cancels before the first regular payment has no days of grace, in a trial or after a set-up fee; who paid has', () => {
  const access = { lasts: 'whilePaying', graceDays: 3 } as const
  const trial = agreed({ ...MONTHLY, setupFee: 500, trial: { length: { count: 14, unit: 'day' } } }, access)
  const cancelled = afterCancelled(trial.agreement, '2027-02-05', 'period-end') as Agreement
  expect(closesAsItStands(bought(trial.offer), trial.agreement, 0)).toBe('2027-02-17')
  expect(closesAsItStands(bought(trial.offer), cancelled, 0)).toBe('2027-02-14')
  const paid = afterCollected(cancelled, '2027-02-14')
  expect(closesAsItStands(bought(trial.offer), paid, 0)).toBe('2027-03-17')
  const monthly = agreed(MONTHLY, access)
  const later = afterCancelled(monthly.agreement, '2027-02-05', 'period-end')
  expect(closesAsItStands(bought(monthly.offer), later, 0)).toBe('2027-03-03')
})

it('what follows the end of a subscription was never asked for; what was tried in vain, or is owed by a plan, was', () => {
  const monthly = agreed(MONTHLY).agreement
  const never = (agreement: Agreement | null) => [1, 2, 3].filter((n) => isNeverAsked(agreement as Agreement, n))
  expect(never(monthly)).toEqual([])
  expect(never(afterCancelled(monthly, '2027-02-10', 'period-end'))).toEqual([2, 3])
  const tried = afterDeclined(monthly, RETRIES, '2027-02-28')
  expect(never(afterCancelled(tried, '2027-03-01', 'now'))).toEqual([3])
  expect(never(afterStopped(tried))).toEqual([3])
  const plan = agreed(PLAN).agreement
  const stopped = afterStopped(plan) as Agreement
  expect(never(stopped)).toEqual([])
  expect(never(afterWrittenOff(stopped, '2027-03-01'))).toEqual([])
  expect(never(afterGivenBack(plan, '2027-03-01'))).toEqual([2, 3])
})

it('all that is left is of a plan that is owed, and of nothing else', () => {
  const { agreement: plan } = agreed(PLAN)
  expect(restOf(plan).map(({ n }) => n)).toEqual([2, 3])
  expect(restOf({ ...plan, state: 'completed', collected: 3 })).toEqual([])
  expect(restOf(afterGivenBack(plan, '2027-02-10') as Agreement)).toEqual([])
  expect(restOf(agreed(MONTHLY).agreement)).toEqual([])
})
