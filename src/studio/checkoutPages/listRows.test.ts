import { expect, it } from 'vitest'
import { emptyPart } from '../../core/checkoutPages/parts.ts'
import { dropped, rowsOf } from './listRows.ts'

const parts = [emptyPart('opening', 'opening'), emptyPart('gets', 'gets'), emptyPart('prices', 'prices')]

it('a row that is put down stands where the name above it says', () => {
  expect(rowsOf(parts)).toEqual(['place:above', 'opening', 'prices', 'place:beside', 'gets', 'place:below'])
  const put = (id: string, ...rows: string[]) => dropped(parts, rows, id)
  expect(put('gets', 'place:above', 'opening', 'gets', 'prices', 'place:beside', 'place:below')).toEqual({
    ...{ id: 'gets', place: 'above', index: 1, isAllowed: true },
  })
  expect(put('gets', 'place:above', 'opening', 'prices', 'place:beside', 'place:below', 'gets')).toEqual({
    ...{ id: 'gets', place: 'below', index: 0, isAllowed: true },
  })
  // A price table is too wide to stand beside the form.
  expect(put('prices', 'place:above', 'opening', 'place:beside', 'gets', 'prices', 'place:below')).toEqual({
    ...{ id: 'prices', place: 'beside', index: 1, isAllowed: false },
  })
  // Above the first name is first of all.
  expect(put('gets', 'gets', 'place:above', 'opening', 'prices', 'place:beside', 'place:below')).toMatchObject({
    ...{ place: 'above', index: 0 },
  })
})
