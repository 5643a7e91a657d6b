import { readFileSync } from 'node:fs'
import { expect, it } from 'vitest'
import { mutantsOf } from './rules.ts'

const changed = (source: string) =>
  mutantsOf('one.ts', source).map(({ start, end, put }) => source.slice(0, start) + put + source.slice(end))

it('changes what decides, one thing at a time', () => {
  expect(changed('const a = x < 1 && !y')).toEqual([
    'const a = x < 1 || !y',
    'const a = x <= 1 && !y',
    'const a = x < 1 && y',
  ])
  expect(changed('if (a === b) throw c')).toEqual(['if (false) throw c', 'if (a !== b) throw c'])
  expect(changed('f(a ? b + 1 : c)')).toEqual(['', 'f(a ? c : b + 1)', 'f(a ? b - 1 : c)'])
  expect(changed('await store(tx)\nend()')).toEqual(['\nend()', 'await store(tx)\n'])
})

it('leaves types, texts and what surrounds an operator alone', () => {
  expect(changed('type A = B<C> | D')).toEqual([])
  expect(changed("const a = 'x' + y as string")).toEqual([])
  expect(changed('const a = (b /* > */ > c)')).toEqual(['const a = (b /* > */ >= c)'])
  expect(changed('const a: Map<string, number> = (x) > (y)')).toEqual(['const a: Map<string, number> = (x) >= (y)'])
})

it('finds its places in a file of the product', () => {
  const source = readFileSync('src/core/collecting/agreement.ts', 'utf8')
  const all = mutantsOf('src/core/collecting/agreement.ts', source)
  expect(all.length).toBeGreaterThan(40)
  for (const { line, start } of all) expect(source.split('\n')[line - 1]).toContain(source.slice(start, start + 1))
})
