import { expect, it } from 'vitest'
import { ownPath } from './routes.ts'

const ORIGIN = 'https://school.example'

it.each([
  '/%09/evil.example',
  '/\t/evil.example',
  '/\n/evil.example',
  '//evil.example',
  '/\\evil.example',
  '/.//evil.example',
  '/x/..//evil.example',
  'https://evil.example/my',
  'https:evil.example',
  'javascript:alert(1)',
  'data:text/html,x',
  '\u0000//evil.example',
  undefined,
  '',
])('%j leads nowhere but home', (path) => {
  const target = new URL(ownPath(path && decodeURIComponent(path), ORIGIN), ORIGIN)
  expect(target.origin).toBe(ORIGIN)
  expect(ownPath(path, ORIGIN).startsWith('//')).toBe(false)
})

it('a path of our own is kept with its query', () => {
  expect(ownPath('/learn/coptic/1?x=1#y', ORIGIN)).toBe('/learn/coptic/1?x=1#y')
  expect(ownPath('https://school.example/my', ORIGIN)).toBe('/my')
})
