import { expect, it } from 'vitest'
import { unstorableTexts } from './plainText.ts'

it('of a document, only what cannot be stored is named, by its pointer', () => {
  const document = { name: 'Ada', none: null, many: ['x', 3, true, { 'a/b~c': 'half a pair \ud800' }] }
  expect(unstorableTexts(document)).toMatchObject([{ at: '/many/3/a~1b~0c' }])
  expect(unstorableTexts('text')).toEqual([])
  expect(unstorableTexts(null)).toEqual([])
})
