import fc from 'fast-check'
import { expect, it } from 'vitest'
import { taxesToday } from '../content/quoteInput.ts'
import { laterReceiptRows, receiptRows } from '../content/receiptRows.ts'
import { quote } from '../quote/quote.ts'
import { readQuoteRequest } from '../quote/read.ts'
import { formatLaterOfSeveral, receiptEntries } from './receipt.ts'

const month = { count: 1, unit: 'month' }
const ONCE = { kind: 'single', amount: 12_900 }
const PLAN = { kind: 'installments', count: 3, every: month, total: 12_900 }
const LONG = { kind: 'installments', count: 8, every: month, amount: 6500 }
const CLUB = { kind: 'subscription', amount: 1900, every: month, trial: { length: { count: 7, unit: 'day' } } }
const euro = { currency: 'EUR', language: 'en-GB' }
const things = ['Coptic', 'Boxes', 'Club'].map((course) => ({ course, offer: 'O' }))

interface Ordered {
  terms: object[]
  sale?: object
  coupons?: object[]
  tax?: object
}

function ordered({ terms, sale, coupons = [], tax = { mode: 'inclusive', rate: 2000 } }: Ordered) {
  const document = {
    currency: 'EUR',
    timeZone: 'UTC',
    at: '2027-01-31T09:00:00Z',
    tax,
    lines: terms.map((of, index) => ({
      role: 'main',
      offer: { id: `o${index}`, courses: [{ id: `c${index}` }], terms: of, ...(index === 0 && sale ? { sale } : {}) },
    })),
    coupons,
    codes: coupons.map((coupon) => (coupon as { code: string }).code),
  }
  return { document, quoted: quote(readQuoteRequest(document)) }
}

function entries(asked: Ordered) {
  const { document, quoted } = ordered(asked)
  const amounts = {
    rows: receiptRows(document, quoted),
    taxMode: ((asked.tax as { mode?: string })?.mode ?? 'inclusive') as 'inclusive',
    taxes: taxesToday(document, quoted),
    paid: quoted.today.pay,
  }
  return receiptEntries(things.slice(0, asked.terms.length), amounts, 'en-GB')
}
const half = { code: 'HALF', kind: 'percent', rate: 5000, offers: ['o0'] }

it('a receipt names the list price, what a sale and a code took off, and what is left', () => {
  const shown = entries({ terms: [ONCE, PLAN], sale: { amount: 9900, scope: 'every' }, coupons: [half] })
  expect(shown.map(({ label, amount }) => `${label} ${amount}`)).toEqual([
    'Coptic, O 12900',
    'Sale price -3000',
    'Code HALF -4950',
    'Reduced price 4950',
    'Boxes, O 4300',
    'Paid 9250',
    'VAT 20%, inside 1542',
  ])
  expect(entries({ terms: [ONCE], coupons: [half] }).map(({ kind }) => kind)).toEqual([
    'thing',
    'less',
    'paid',
    'inside',
  ])
})

it('lines that are left out bring no tax', () => {
  const { document, quoted } = ordered({ terms: [ONCE, PLAN] })
  const taxOf = (except?: number[]) => taxesToday(document, quoted, except)
  const [once, plan] = [taxOf([1])[0]?.tax ?? 0, taxOf([0])[0]?.tax ?? 0]
  expect([once, plan]).toEqual([2150, 717])
  expect(taxOf()).toEqual([{ rate: 2000, tax: once + plan }])
  expect(taxOf([0, 1])).toEqual([])
})

it('a reader can add it: things, less what was taken off, and tax that is added, are what was paid', () => {
  const terms = fc.array(fc.constantFrom(ONCE, PLAN, LONG, CLUB), { minLength: 1, maxLength: 3 })
  const tax = fc.constantFrom('none', 'inclusive', 'exclusive').map((mode) => ({ mode, rate: 2000 }))
  const percent = fc.record({ kind: fc.constant('percent'), rate: fc.integer({ min: 1, max: 10_000 }) })
  const fixed = fc.record({ kind: fc.constant('fixed'), amount: fc.integer({ min: 1, max: 20_000 }) })
  const coupon = fc.oneof(
    percent.map((of) => ({ code: 'C', ...of })),
    fixed.map((of) => ({ code: 'C', currency: 'EUR', ...of })),
  )
  fc.assert(
    fc.property(terms, tax, fc.array(coupon, { maxLength: 1 }), fc.boolean(), (of, mode, coupons, onSale) => {
      const sale = onSale && of[0] === ONCE ? { sale: { amount: 9900, scope: 'every' } } : {}
      const shown = entries({ terms: of, tax: mode, coupons, ...sale })
      const sum = (...kinds: string[]) =>
        shown.filter(({ kind }) => kinds.includes(kind)).reduce((all, { amount }) => all + amount, 0)
      expect(sum('thing', 'less', 'tax')).toBe(sum('paid'))
    }),
  )
})

it('a later payment says which of how many it is, and with which code it was reduced', () => {
  const first = { code: 'TWICE', kind: 'percent', rate: 1000, payments: 2 }
  const { document, quoted } = ordered({ terms: [PLAN], coupons: [first] })
  const rows = laterReceiptRows(document, quoted, 0, (quoted.lines[0]?.payments ?? []).slice(1))
  expect(rows).toEqual([
    { line: 0, name: 'Payment 2 of 3', list: 4300, sale: 0, discount: 430, codes: ['TWICE'], price: 3870 },
    { line: 0, name: 'Payment 3 of 3', list: 4300, sale: 0, discount: 0, codes: [], price: 4300 },
  ])
})

it('of several agreements each is said, until when, and what all of it comes to', () => {
  const later = (...terms: object[]) => {
    const { document, quoted } = ordered({ terms })
    return formatLaterOfSeveral(document, quoted, ['Coptic', 'Boxes', 'Club'], euro)
  }
  expect(later(PLAN, LONG)).toEqual([
    'Coptic: €43.00 on 28 February and 31 March; €129.00 in all',
    'Boxes: 7 payments of €65.00, one every month, the first on 28 February, the last on 31 August; €520.00 in all',
    'In all, today included: €649.00.',
  ])
  expect(later(PLAN, ONCE, CLUB)).toEqual([
    'Coptic: €43.00 on 28 February and 31 March; €129.00 in all',
    'Club: €19.00 every month from 7 February until cancelled',
  ])
  expect(later(PLAN, ONCE)).toEqual([])
})
