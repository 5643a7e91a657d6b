import { expect, it } from 'vitest'
import { EVERYDAY_PAGE, shownOn } from './checkoutPage.ts'

const offers = ['a', 'b', 'c'].map((id) => ({ id }))
const ids = (of: { id: string }[]) => of.map(({ id }) => id).join('')

it('a page that nobody shaped shows every offer as the product lists them', () => {
  expect(ids(shownOn(EVERYDAY_PAGE, offers))).toBe('abc')
})

it('a shaped page shows its offers in its order, without those that are not on sale', () => {
  expect(ids(shownOn({ offers: ['c', 'gone', 'a'], chosen: null, bumps: [] }, offers))).toBe('ca')
  expect(ids(shownOn({ offers: [], chosen: null, bumps: [] }, offers))).toBe('')
})

it('whoever opens an offer’s own link finds it there, once', () => {
  expect(ids(shownOn({ offers: ['c'], chosen: null, bumps: [] }, offers, 'b'))).toBe('cb')
  expect(ids(shownOn({ offers: ['c'], chosen: null, bumps: [] }, offers, 'c'))).toBe('c')
  expect(ids(shownOn({ offers: ['c'], chosen: null, bumps: [] }, offers, 'other'))).toBe('c')
})
