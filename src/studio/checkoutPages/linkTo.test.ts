import { expect, it } from 'vitest'
import { linkTo } from './linkTo.ts'

it('a link holds what it fills in, whole, and placeholders of newsletters as they are written', () => {
  const page = 'https://school.example/buy/paper'
  expect(linkTo(page, { offer: '', code: ' ', name: '' })).toBe(page)
  expect(linkTo(page, { code: '', name: '{{ name }}', email: '[email]' })).toBe(
    `${page}?name={{%20name%20}}&email=[email]`,
  )
  const typed = linkTo(page, { code: 'A&B=C', from: 'newsletter märz', name: 'Ida Ü #1' })
  expect(Object.fromEntries(new URL(typed).searchParams)).toEqual({
    code: 'A&B=C',
    from: 'newsletter märz',
    name: 'Ida Ü #1',
  })
})
