import { describe, expect, it } from 'vitest'
import { movePart } from '../checkoutPages/arrange.ts'
import { emptyPart, newShot } from '../checkoutPages/parts.ts'
import { EVERYDAY_PAGE, isOver, type PageContent, pageProblems } from './checkoutPage.ts'
import { pageChanges } from './pageChanges.ts'

const names = {
  offer: (id: string) => `offer ${id}`,
  part: (kind: string) => kind.toUpperCase(),
  page: (id: string) => `page ${id}`,
  moment: (instant: string) => instant.slice(0, 10),
}
const changed = (draft: Partial<PageContent>, live: PageContent | null = EVERYDAY_PAGE) =>
  pageChanges(live, { ...EVERYDAY_PAGE, ...draft }, names).map(({ what, from, to }) => [what, from, to])

describe('what publishing a page would change', () => {
  it('is nothing where nothing is another', () => {
    expect(changed({})).toEqual([])
    expect(changed({}, null).length).toBeGreaterThan(3)
  })

  it('is said of the page as a whole', () => {
    expect(changed({ formSide: 'right' })).toEqual([['Form', 'on the left', 'on the right']])
    expect(changed({ offers: ['a', 'b'], chosen: 'b' })).toEqual([
      ['Offers', 'all that are on sale', 'offer a, offer b'],
      ['Chosen beforehand', 'the first', 'offer b'],
    ])
    expect(changed({ ends: { at: '2027-03-21T00:00:00Z', leadsTo: 'x' }, code: 'SPRING' })).toEqual([
      ['Code applied by itself', null, 'SPRING'],
      ['End', null, '2027-03-21, then page x'],
    ])
  })

  it('is said of each part: new, gone, moved, written anew, of another look or picture', () => {
    const [opening, lessons] = EVERYDAY_PAGE.parts
    if (opening?.kind !== 'opening' || lessons?.kind !== 'lessons') throw new Error('another everyday page')
    expect(changed({ parts: [opening] })).toEqual([['Part', 'LESSONS', null]])
    const gets = { ...emptyPart('gets', 'gets'), lines: ['Three lessons', 'A list'] }
    expect(changed({ parts: [opening, lessons, gets] })).toEqual([
      ['Part', null, 'GETS, beside the form: Three lessons · A list'],
    ])
    expect(changed({ parts: movePart([opening, lessons], 'lessons', { place: 'below', index: 0 }) })).toEqual([
      ['LESSONS', 'beside the form', 'below the form'],
    ])
    expect(changed({ parts: [{ ...opening, title: 'Sew' }, lessons] })).toEqual([['OPENING', null, 'Sew']])
    expect(changed({ parts: [{ ...opening, behind: 'plain' }, lessons] })).toEqual([
      ['OPENING', 'the old look', 'the new look'],
    ])
    const pictured = { ...opening, behind: 'picture' as const, picture: newShot('a') }
    const live = { ...EVERYDAY_PAGE, parts: [pictured, lessons] }
    const other = { ...pictured, picture: { ...newShot('a'), focus: { x: 9, y: 9 } } }
    expect(changed({ parts: [other, lessons] }, live)).toEqual([['OPENING, picture', 'the old one', 'the new one']])
  })

  it('is said of an order of parts that stay at their places', () => {
    const [opening, lessons] = EVERYDAY_PAGE.parts
    const both = [opening, lessons, emptyPart('gets', 'gets')] as PageContent['parts']
    const live = { ...EVERYDAY_PAGE, parts: both }
    const turned = movePart(both, 'gets', { place: 'beside', index: 0 })
    expect(changed({ parts: turned }, live)).toEqual([['Order of the parts', 'the old one', 'the new one']])
  })
})

it('a page has ended from its end on, in whatever zone that was written, and not without one', () => {
  const ends = (at: string) => ({ ...EVERYDAY_PAGE, ends: { at, leadsTo: null } })
  expect(isOver(ends('2027-03-01T13:00:00+01:00'), '2027-03-01T12:00:00.000Z')).toBe(true)
  expect(isOver(ends('2027-03-01T13:00:01+01:00'), '2027-03-01T12:00:00.000Z')).toBe(false)
  expect(isOver(EVERYDAY_PAGE, '2999-01-01T00:00:00Z')).toBe(false)
  expect(pageProblems(EVERYDAY_PAGE, { productId: null, offers: [] })).toEqual([])
})
