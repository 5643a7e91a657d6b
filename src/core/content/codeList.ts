import { codeKey } from '../quote/codes.ts'

/** A row of a list of codes that cannot be taken: its line in the file, from 1, what stands there, and why. */
export interface RefusedRow {
  line: number
  code: string
  why: string
}

/** What a list of codes comes to: those that can be taken, each with its line, and the rows that cannot. */
export interface CodeList {
  codes: { line: number; code: string }[]
  refused: RefusedRow[]
}

const CODE = /^[A-Za-z0-9_-]{1,40}$/

/**
 * Reads the codes in the first column of a table (the rows of a CSV file). A first row that says "code" is its head; rows
 * with nothing in them are passed over. What is no code, or stands there twice, is told with its line.
 * @param lines the line of each row in its file, from 1; a row may take several.
 */
export function readCodeList(rows: readonly (readonly string[])[], lines: readonly number[]): CodeList {
  const codes: CodeList['codes'] = []
  const refused: RefusedRow[] = []
  const first = new Map<string, number>()
  for (const [index, row] of rows.entries()) {
    const line = lines[index] ?? index + 1
    const code = (row[0] ?? '').trim()
    if (row.every((cell) => cell.trim() === '')) continue
    if (index === 0 && code.toLowerCase() === 'code') continue
    const before = first.get(codeKey(code))
    if (code === '') refused.push({ line, code, why: 'There is no code in the first column.' })
    else if (!CODE.test(code)) {
      refused.push({ line, code, why: 'A code has 1 to 40 letters (A to Z), digits, - and _.' })
    } else if (before !== undefined) refused.push({ line, code, why: `It stands in line ${before} already.` })
    else {
      first.set(codeKey(code), line)
      codes.push({ line, code })
    }
  }
  return { codes, refused }
}
