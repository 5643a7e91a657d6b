import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import {
  addUpsell,
  EVERYDAY_PAGE,
  pageProblems,
  removeUpsell,
  shownOn,
  type Upsell,
  upsellAfter,
} from './checkoutPage.ts'

const offers = ['a', 'b', 'c'].map((id) => ({ id }))
const ids = (of: { id: string }[]) => of.map(({ id }) => id).join('')

it('a page that nobody shaped shows every offer as the product lists them', () => {
  expect(ids(shownOn(EVERYDAY_PAGE, offers))).toBe('abc')
})

it('a shaped page shows its offers in its order, without those that are not on sale', () => {
  expect(ids(shownOn({ ...EVERYDAY_PAGE, offers: ['c', 'gone', 'a'] }, offers))).toBe('ca')
  expect(ids(shownOn({ ...EVERYDAY_PAGE, offers: [] }, offers))).toBe('')
})

it('whoever opens an offer’s own link finds it there, once', () => {
  expect(ids(shownOn({ ...EVERYDAY_PAGE, offers: ['c'] }, offers, 'b'))).toBe('cb')
  expect(ids(shownOn({ ...EVERYDAY_PAGE, offers: ['c'] }, offers, 'c'))).toBe('c')
  expect(ids(shownOn({ ...EVERYDAY_PAGE, offers: ['c'] }, offers, 'other'))).toBe('c')
})

describe('upsells', () => {
  const offered = ['x', 'y', 'z'].map((id) => ({
    id,
    productId: `product ${id}`,
    isOnSale: id !== 'z',
    namesPrice: false,
  }))
  const of = (upsells: Upsell[]) =>
    pageProblems({ ...EVERYDAY_PAGE, upsells }, { productId: 'product x', offers: offered }).map(
      ({ at, why }) => `${at} ${why}`,
    )
  const step = (id: string, more: Partial<Upsell> = {}): Upsell => ({
    id,
    offerId: 'y',
    title: '',
    text: '',
    coverId: null,
    onYes: null,
    onNo: null,
    ...more,
  })

  it('offer something of another product that is on sale, each once', () => {
    expect(of([step('a')])).toEqual([])
    expect(of([step('a', { offerId: null })])).toEqual(['/upsells/0/offerId Choose what upsell 1 offers.'])
    expect(of([step('a', { offerId: 'gone' })])).toEqual([
      '/upsells/0/offerId What upsell 1 offers does not exist any more.',
    ])
    expect(of([step('a', { offerId: 'x' })])).toEqual([
      '/upsells/0/offerId Upsell 1 offers what the page sells already.',
    ])
    expect(of([step('a', { offerId: 'z' })])).toEqual(['/upsells/0/offerId What upsell 1 offers is not on sale.'])
    expect(of([step('a', { onYes: 'b' }), step('b')])).toEqual([
      '/upsells/1/offerId Upsell 2 offers the same as another one.',
    ])
  })

  it('may come back to the course of another for less; two order bumps of one course are not offered together', () => {
    const two = [
      ...offered,
      { id: 'y2', productId: 'product y', isOnSale: true, namesPrice: false },
      { id: 'w', productId: 'product w', isOnSale: true, namesPrice: false },
    ]
    const bump = (id: string, offerId: string) => ({ id, offerId, title: '', text: '', coverId: null, tick: '' })
    const at = (page: Partial<typeof EVERYDAY_PAGE>) =>
      pageProblems({ ...EVERYDAY_PAGE, ...page }, { productId: 'product x', offers: two })
    expect(at({ bumps: [bump('a', 'y'), bump('b', 'w')] })).toEqual([])
    expect(at({ bumps: [bump('a', 'y'), bump('b', 'y2')] })).toEqual([
      { at: '/bumps/1/offerId', why: 'Order bump 2 offers the same course or bundle as another one.' },
    ])
    expect(at({ upsells: [step('a', { onNo: 'b' }), step('b', { offerId: 'y2' })] })).toEqual([])
  })

  it('lead on, never back or in a circle, and each is led to', () => {
    const only = 'can lead on to a later one only.'
    expect(of([step('a', { onNo: 'a' })])).toEqual([`/upsells/0/onNo Upsell 1 ${only}`])
    expect(of([step('a', { onNo: 'b' }), step('b', { offerId: null, onYes: 'a' })])).toContain(
      `/upsells/1/onYes Upsell 2 ${only}`,
    )
    expect(of([step('a', { onYes: 'gone' })])).toEqual([`/upsells/0/onYes Upsell 1 ${only}`])
    expect(of([step('a'), step('b', { offerId: null })])).toContain('/upsells/1 No answer leads to upsell 2.')
  })

  it('added and taken away in whatever order, and whatever they lead to, every walk ends at the thanks page', () => {
    const actions = fc.array(
      fc.record({
        add: fc.boolean(),
        place: fc.nat(2),
        onYes: fc.option(fc.constantFrom('0', '1', '2', '3', '4')),
        onNo: fc.option(fc.constantFrom('0', '1', '2', '3', '4')),
      }),
      { maxLength: 12 },
    )
    fc.assert(
      fc.property(actions, fc.array(fc.boolean(), { maxLength: 10 }), (all, answers) => {
        let upsells: Upsell[] = []
        let made = 0
        for (const { add, place, onYes, onNo } of all) {
          if (add && upsells.length < 3) upsells = addUpsell(upsells, String(made++))
          else if (upsells[place]) upsells = removeUpsell(upsells, (upsells[place] as Upsell).id)
          upsells = upsells.map((one, index) => (index === place ? { ...one, onYes, onNo } : one))
        }
        const seen: string[] = []
        let at = upsells[0] ?? null
        for (let n = 0; at; n++) {
          seen.push(at.id)
          at = upsellAfter(upsells, at, answers[n] ? 'yes' : 'no')
        }
        expect(new Set(seen).size).toBe(seen.length)
      }),
    )
  })

  it('a step that is added follows the last one; one that is taken away is passed by', () => {
    const three = addUpsell(addUpsell(addUpsell([], 'a'), 'b'), 'c')
    expect(three.map(({ onYes, onNo }) => [onYes, onNo])).toEqual([
      ['b', 'b'],
      ['c', 'c'],
      [null, null],
    ])
    expect(removeUpsell(three, 'b').map(({ id, onYes, onNo }) => [id, onYes, onNo])).toEqual([
      ['a', 'c', 'c'],
      ['c', null, null],
    ])
  })
})
