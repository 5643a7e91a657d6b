import { describe, expect, it } from 'vitest'
import { changeKind, type DraftTerms } from './offer.ts'
import { nameAfter, nameOfTerms, namesOtherTerms } from './offerName.ts'

const single: DraftTerms = { kind: 'single', amount: 120_000 }
const kind = (to: DraftTerms['kind']) => changeKind(single, to)
const parts = kind('installments') as Extract<DraftTerms, { kind: 'installments' }>
const monthly = kind('subscription') as Extract<DraftTerms, { kind: 'subscription' }>

describe('a name that nobody wrote', () => {
  it.each<[string, DraftTerms]>([
    ['Free', kind('free')],
    ['One payment', single],
    ['Name your price', kind('openPrice')],
    ['3 installments', parts],
    ['Deposit + 8 installments', { ...parts, count: 8, deposit: 0 }],
    ['Monthly', monthly],
    ['Yearly', { ...monthly, every: { count: 1, unit: 'year' } }],
    ['Every 3 months', { ...monthly, every: { count: 3, unit: 'month' } }],
  ])('is %s by its terms, and follows them', (name, terms) => {
    expect(nameOfTerms(terms)).toBe(name)
    expect(nameAfter('One payment', single, terms)).toBe(name)
    expect(nameAfter('', single, terms)).toBe(name)
    expect(nameAfter('The whole course', single, terms)).toBe('The whole course')
    expect(nameAfter('The whole course', terms, single)).toBe('The whole course')
  })

  it('is none where another offer of the product has it', () => {
    expect(nameAfter('One payment', single, monthly, ['Monthly'])).toBe('')
    expect(nameAfter('', single, monthly, ['Monthly '])).toBe('')
    expect(nameAfter('', single, monthly, ['Yearly'])).toBe('Monthly')
    // Another amount of the same kind takes no name away.
    expect(nameAfter('One payment', single, { kind: 'single', amount: 4900 }, ['One payment'])).toBe('One payment')
  })
})

it('a name of ours that says otherwise than the price is noticed; a written one is not', () => {
  expect(namesOtherTerms('Free', single)).toBe(true)
  expect(namesOtherTerms(' free ', single)).toBe(true)
  expect(namesOtherTerms('One payment', monthly)).toBe(true)
  expect(namesOtherTerms('4 installments', parts)).toBe(true)
  expect(namesOtherTerms('120 installments', parts)).toBe(true)
  expect(namesOtherTerms('Every 18 months', monthly)).toBe(true)
  expect(namesOtherTerms('3 installments', parts)).toBe(false)
  expect(namesOtherTerms('Yearly', monthly)).toBe(true)
  expect(namesOtherTerms('monthly', monthly)).toBe(false)
  expect(namesOtherTerms('Free for members', single)).toBe(false)
  expect(namesOtherTerms('', single)).toBe(false)
})
