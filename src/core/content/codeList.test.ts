import { expect, it } from 'vitest'
import { readCodeList } from './codeList.ts'

it('takes the first column, passes over head and empty rows, and tells what is wrong by line', () => {
  const rows = [['Code', 'for'], ['fair-1', 'Ada'], ['', ''], ['FAIR-1'], ['no good!'], ['', 'Bob'], [' fair_2 ']]
  expect(readCodeList(rows, [1, 2, 4, 5, 6, 7, 8])).toEqual({
    codes: [
      { line: 2, code: 'fair-1' },
      { line: 8, code: 'fair_2' },
    ],
    refused: [
      { line: 5, code: 'FAIR-1', why: 'It stands in line 2 already.' },
      { line: 6, code: 'no good!', why: 'A code has 1 to 40 letters (A to Z), digits, - and _.' },
      { line: 7, code: '', why: 'There is no code in the first column.' },
    ],
  })
  expect(readCodeList([['code']], [1])).toEqual({ codes: [], refused: [] })
  expect(readCodeList([['x'.repeat(41)]], [1]).refused).toHaveLength(1)
})
