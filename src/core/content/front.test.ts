import * as v from 'valibot'
import { expect, it } from 'vitest'
import { frontContentSchema, PLAIN_FRONT, shelve } from './front.ts'

const [a, b, c] = ['a', 'b', 'c'].map((id) => ({ id }))

it('what is sold stands in its sections, what is in none behind them', () => {
  const front = {
    ...PLAIN_FRONT,
    sections: [
      { id: '1', title: 'Begin here', products: ['c', 'gone'] },
      { id: '2', title: 'Empty', products: ['gone too'] },
    ],
  }
  expect(shelve(front, [a, b, c] as { id: string }[])).toEqual([
    { id: '1', title: 'Begin here', products: [c] },
    { id: '', title: '', products: [a, b] },
  ])
  expect(shelve(PLAIN_FRONT, [])).toEqual([])
})

it('nothing stands in two sections', () => {
  const id = '3f2c1d58-1f7a-4c84-9d2c-6b8f0d0c9d11'
  const section = (name: string) => ({ id: name, title: name, products: [id] })
  expect(v.is(frontContentSchema, { ...PLAIN_FRONT, sections: [section('x')] })).toBe(true)
  expect(v.is(frontContentSchema, { ...PLAIN_FRONT, sections: [section('x'), section('y')] })).toBe(false)
})
