import { wcagContrast } from 'culori'
import fc from 'fast-check'
import { expect, it } from 'vitest'
import { MIN_CONTRAST, ON_COLOR, readable } from './readable.ts'

const hex = fc.integer({ min: 0, max: 0xffffff }).map((value) => `#${value.toString(16).padStart(6, '0')}`)

it('whatever colour is asked for, text on what is used can be read', () => {
  fc.assert(
    fc.property(hex, (asked) => {
      const { color, isChanged } = readable(asked)
      expect(wcagContrast(color, ON_COLOR)).toBeGreaterThanOrEqual(MIN_CONTRAST)
      expect(isChanged).toBe(color !== asked)
    }),
  )
})

it('a colour that can be read stays, and another is made no darker than it must be', () => {
  expect(readable('#8f6220')).toEqual({ color: '#8f6220', isChanged: false })
  const { color, isChanged } = readable('#c9dd62')
  expect(isChanged).toBe(true)
  // The next lighter ones could not be read: it reaches the least, and hardly more.
  expect(wcagContrast(color, ON_COLOR)).toBeLessThan(MIN_CONTRAST + 0.1)
  expect(readable('#ffffff').color).toMatch(/^#([0-9a-f]{2})\1\1$/)
})
