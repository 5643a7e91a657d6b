import { describe, expect, it } from 'vitest'
import { type Message, say } from './message.ts'

describe('a message', () => {
  it('is filled in by its names, in any order and as often as they stand', () => {
    expect(say('{a} and {b}, {a}', { b: 2, a: 'one' })).toBe('one and 2, one')
    expect(say('nothing to fill in', {})).toBe('nothing to fill in')
  })

  it('puts values in as they are, braces too', () => {
    expect(say('{course} is yours', { course: '{name} $& $1' })).toBe('{name} $& $1 is yours')
  })

  it('has a form for one and for several', () => {
    const orders = { one: '{count} order', other: '{count} orders' } as const
    expect([0, 1, 2, 21].map((count) => say(orders, { count }))).toEqual([
      '0 orders',
      '1 order',
      '2 orders',
      '21 orders',
    ])
  })

  it('with a name that has no value is refused, by the types too', () => {
    // @ts-expect-error: course is missing
    expect(() => say('{course} is yours', {})).toThrow(RangeError)
  })
})

const CATALOGUE = import.meta.glob<object>('./en/*.ts', { eager: true })

/** What stands between two things that are shown apart. */
const JOINTS = new Set([' or ', ', now ', 'Lowest price before the sale: '])

describe('the catalogue', () => {
  const all = (of: object, at = ''): [string, Message][] =>
    Object.entries(of).flatMap(([name, value]) =>
      typeof value === 'string' || 'other' in value ? [[`${at}${name}`, value]] : all(value, `${at}${name}.`),
    )

  it.each(all(CATALOGUE))('%s has its braces in pairs, and no blanks at its ends', (_name, message) => {
    for (const text of typeof message === 'string' ? [message] : Object.values(message)) {
      expect(text.replace(/\{\w+\}/g, '')).not.toMatch(/[{}]/)
      if (!JOINTS.has(text)) expect(text).toBe(text.trim())
    }
  })
})
