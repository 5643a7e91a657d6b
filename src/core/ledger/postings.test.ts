import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { BANK, DISPUTES, isMoney, OVERPAID, PREPAID, VAT } from './accounts.ts'
import { type BookedPayment, collected, givenBack, type Posting, partReceived, surplusReceived } from './postings.ts'

const sum = (rows: readonly Posting[], account?: string) =>
  rows.reduce((all, row) => (account === undefined || row.account === account ? all + row.amount : all), 0)

const payment = fc
  .record({ pay: fc.integer({ min: 1, max: 500_000 }), taxShare: fc.double({ min: 0, max: 0.3, noNaN: true }) })
  .chain(({ pay, taxShare }) =>
    fc.record({
      pay: fc.constant(pay),
      tax: fc.constant(Math.floor(pay * taxShare)),
      fee: fc.integer({ min: 0, max: pay + 30 }),
    }),
  )
const payments = fc.array(payment, { minLength: 1, maxLength: 5 }).map((all) =>
  all.map(
    (one, index): BookedPayment => ({
      ...one,
      paymentId: `p${index}`,
      lineId: `l${index % 2}`,
      offerId: 'o',
      product: `course-${index}`,
    }),
  ),
)
const all = (of: readonly BookedPayment[], pick: 'pay' | 'tax' | 'fee') => of.reduce((so, one) => so + one[pick], 0)

describe('every movement adds up to nothing', () => {
  it('what is collected is money and its fee on one side, the sale and its tax on the other', () => {
    fc.assert(
      fc.property(payments, (of) => {
        const sold = of.map((one) => ({ ...one, as: 'sale' as const }))
        const rows = collected(sold, { into: 'assets:gateway:thistle', method: 'thistle' })
        expect(sum(rows)).toBe(0)
        expect(sum(rows, 'assets:gateway:thistle')).toBe(all(of, 'pay') - all(of, 'fee'))
        expect(sum(rows, 'expenses:fees:thistle')).toBe(all(of, 'fee'))
        expect(sum(rows, VAT) + all(of, 'tax')).toBe(0)
        expect(rows.every(({ amount }) => amount !== 0)).toBe(true)
        const notOwed = of.map((one) => ({ ...one, as: 'overpaid' as const }))
        const twice = collected(notOwed, { into: BANK, method: 'transfer' })
        expect(sum(twice, OVERPAID) + all(of, 'pay')).toBe(0)
        expect(sum(twice, VAT)).toBe(0)
      }),
    )
  })

  it('parts of a transfer, in whatever pieces, are each payment in full in the end', () => {
    fc.assert(
      fc.property(payments, fc.array(fc.integer({ min: 1, max: 200_000 }), { maxLength: 6 }), (of, pieces) => {
        const missing = new Map(of.map(({ paymentId, pay }) => [paymentId, pay]))
        let left = all(of, 'pay')
        for (const piece of [...pieces, Number.MAX_SAFE_INTEGER]) {
          const amount = Math.min(piece, left)
          if (amount === 0) continue
          left -= amount
          const rows = partReceived(
            of.map((one) => ({ ...one, missing: missing.get(one.paymentId) ?? 0 })),
            amount,
          )
          expect(sum(rows)).toBe(0)
          expect(sum(rows, BANK)).toBe(amount)
          for (const { paymentId, account, amount: share } of rows) {
            if (account === PREPAID) missing.set(paymentId, (missing.get(paymentId) ?? 0) + share)
          }
          expect([...missing.values()].every((rest) => rest >= 0)).toBe(true)
        }
        expect([...missing.values()].every((rest) => rest === 0)).toBe(true)
      }),
    )
  })

  it('what is given back in pieces leaves neither a sale nor tax, and never more tax than there was', () => {
    fc.assert(
      fc.property(
        payments,
        fc.array(fc.integer({ min: 1, max: 200_000 }), { maxLength: 6 }),
        fc.constantFrom('sale' as const, 'dispute' as const, 'overpaid' as const),
        (of, pieces, as) => {
          const left = new Map(of.map((one) => [one.paymentId, { left: one.pay, taxLeft: one.tax }]))
          let rest = all(of, 'pay')
          let taxBack = 0
          for (const piece of [...pieces, Number.MAX_SAFE_INTEGER]) {
            const amount = Math.min(piece, rest)
            if (amount === 0) continue
            rest -= amount
            const rows = givenBack(
              of.map((one) => ({ ...one, ...(left.get(one.paymentId) ?? { left: 0, taxLeft: 0 }) })),
              amount,
              { from: BANK, as },
            )
            expect(sum(rows)).toBe(0)
            expect(sum(rows, BANK)).toBe(-amount)
            for (const { paymentId, account, amount: moved } of rows) {
              const before = left.get(paymentId)
              if (!before) throw new Error(paymentId)
              if (account === BANK) before.left += moved
              if (account === VAT) {
                before.taxLeft -= moved
                taxBack += moved
              }
            }
            expect([...left.values()].every((one) => one.left >= 0 && one.taxLeft >= 0)).toBe(true)
          }
          expect(taxBack).toBe(as === 'overpaid' ? 0 : all(of, 'tax'))
        },
      ),
    )
  })

  it('what comes too much is owed to its buyer', () => {
    fc.assert(
      fc.property(
        payments,
        fc.integer({ min: 1, max: 900_000 }),
        fc.integer({ min: 0, max: 99 }),
        (of, amount, fee) => {
          const rows = surplusReceived(of, amount, { into: 'assets:gateway:moor', method: 'moor', fee })
          expect(sum(rows)).toBe(0)
          expect(sum(rows, OVERPAID)).toBe(-amount)
          expect(sum(rows, 'expenses:fees:moor')).toBe(fee)
          expect(sum(rows, 'assets:gateway:moor')).toBe(amount - fee)
          expect(rows.filter(({ account }) => isMoney(account)).reduce((so, row) => so + row.amount, 0)).toBe(amount)
        },
      ),
    )
  })
})

it('what comes too much is shared as what was asked for is, and its fee with it', () => {
  const of = { lineId: 'l', offerId: 'o', product: 'marbling', tax: 0, fee: 0 }
  const rows = surplusReceived(
    [
      { ...of, paymentId: 'p1', pay: 3000 },
      { ...of, paymentId: 'p2', pay: 1000 },
    ],
    400,
    { into: BANK, method: 'moor', fee: 40 },
  )
  expect(rows.map(({ paymentId, account, amount }) => [paymentId, account, amount])).toEqual([
    ['p1', BANK, 270],
    ['p1', 'expenses:fees:moor', 30],
    ['p1', OVERPAID, -300],
    ['p2', BANK, 90],
    ['p2', 'expenses:fees:moor', 10],
    ['p2', OVERPAID, -100],
  ])
})

it('a dispute that takes more than is left is shared by what was paid, and takes no more tax than is left', () => {
  const of = { lineId: 'l', offerId: 'o', product: 'marbling', fee: 0 }
  const rows = givenBack(
    [
      { ...of, paymentId: 'p1', pay: 3000, tax: 500, left: 100, taxLeft: 17 },
      { ...of, paymentId: 'p2', pay: 1000, tax: 100, left: 1000, taxLeft: 100 },
    ],
    2000,
    { from: BANK, as: 'dispute' },
  )
  expect(rows.map(({ paymentId, account, amount }) => [paymentId, account, amount])).toEqual([
    ['p1', BANK, -1500],
    ['p1', DISPUTES, 1483],
    ['p1', VAT, 17],
    ['p2', BANK, -500],
    ['p2', DISPUTES, 450],
    ['p2', VAT, 50],
  ])
})

it('a third given back of a payment with tax takes a third of the tax; the rest of it goes with the last', () => {
  const of = { paymentId: 'p', lineId: 'l', offerId: 'o', product: 'marbling', pay: 12_900, tax: 2150, fee: 0 }
  const back = (left: number, taxLeft: number, amount: number) =>
    givenBack([{ ...of, left, taxLeft }], amount, { from: BANK, as: 'sale' }).map((row) => [row.account, row.amount])
  expect(back(12_900, 2150, 3333)).toEqual([
    [BANK, -3333],
    ['income:sales:marbling', 2777],
    [VAT, 556],
  ])
  expect(back(6234, 1038, 6234)).toEqual([
    [BANK, -6234],
    ['income:sales:marbling', 5196],
    [VAT, 1038],
  ])
  // Each third of 10 of tax is 3: the last one takes the fourth as well.
  const thirds = givenBack([{ ...of, pay: 90, tax: 10, left: 30, taxLeft: 4 }], 30, { from: BANK, as: 'sale' })
  expect(thirds.find(({ account }) => account === VAT)?.amount).toBe(4)
})
