import { expect, it } from 'vitest'
import { formatTitles, titlesInQuotes } from './words.ts'

it('titles of several things are told apart, also where one holds an “and”', () => {
  expect(formatTitles(['Boxes and slipcases'])).toBe('Boxes and slipcases')
  const titles = ['The open workshop', 'Coptic binding', 'Boxes and slipcases']
  expect(formatTitles(titles)).toBe('“The open workshop”, “Coptic binding” and “Boxes and slipcases”')
  expect(`“${titlesInQuotes(titles.slice(1), 'or')}”`).toBe('“Coptic binding” or “Boxes and slipcases”')
})
