import fc from 'fast-check'
import { expect, it } from 'vitest'
import { isSame } from './isSame.ts'

const shuffled = (value: unknown): unknown =>
  Array.isArray(value)
    ? value.map(shuffled)
    : value !== null && typeof value === 'object'
      ? Object.fromEntries(
          Object.entries(value)
            .reverse()
            .map(([key, inner]) => [key, shuffled(inner)]),
        )
      : value

it('the order of fields does not count', () => {
  fc.assert(fc.property(fc.jsonValue(), (value) => isSame(value, shuffled(value))))
})

it('what is null is as good as absent; everything else counts', () => {
  expect(isSame({ trial: null, count: 3 }, { count: 3 })).toBe(true)
  expect(isSame({ count: 3 }, { count: 3, trial: undefined })).toBe(true)
  expect(isSame(null, undefined)).toBe(true)
  expect(isSame({ count: 3 }, { count: 4 })).toBe(false)
  expect(isSame({ trial: { amount: 0 } }, { trial: null })).toBe(false)
  expect(isSame({ trial: null }, { trial: { amount: 0 } })).toBe(false)
  expect(isSame({ setupFee: 0 }, { setupFee: null })).toBe(false)
  expect(isSame({ text: '' }, {})).toBe(false)
  expect(isSame(['a', 'b'], ['b', 'a'])).toBe(false)
  expect(isSame(['a'], ['a', 'b'])).toBe(false)
  expect(isSame(['a', 'b'], ['a'])).toBe(false)
  expect(isSame([], {})).toBe(false)
  expect(isSame({}, [])).toBe(false)
  expect(isSame('1', 1)).toBe(false)
})
