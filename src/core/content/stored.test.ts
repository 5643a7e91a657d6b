import { expect, it } from 'vitest'
import { EVERYDAY_PAGE } from './checkoutPage.ts'
import { readContent, storeContent } from './stored.ts'

it('content is read as every version kept it, and not as a newer one did', () => {
  const content = { title: 'Coptic binding', lessons: [] }
  expect(readContent(storeContent(content))).toEqual(content)
  expect(readContent(content)).toEqual(content)
  const cover = { ...content, coverColor: 'moss' }
  for (const first of [
    { ...content, cloth: 'moss' },
    { ...content, cloth: 'moss', version: 1 },
  ]) {
    expect(readContent<object>(first)).toEqual(cover)
  }
  expect(readContent(storeContent(cover))).toEqual(cover)
  expect(() => readContent({ ...content, version: 7 })).toThrow('newer version')
})

it('a checkout page of an older version has no order bumps and no upsells, and looks as one that nobody has shaped', () => {
  const page = { offers: ['one'], chosen: null }
  const lifted = { ...EVERYDAY_PAGE, ...page }
  expect(readContent<object>({ ...page, version: 2 } as object)).toEqual(lifted)
  expect(readContent<object>({ ...page, bumps: [], version: 3 } as object)).toEqual(lifted)
  const fourth = { ...page, bumps: [], upsells: [], upsellsByTransfer: true, version: 4 }
  expect(readContent<object>(fourth as object)).toEqual({ ...lifted, upsellsByTransfer: true })
  // Of the fields by which a page is known, one alone does not make a page of other content.
  for (const version of [2, 3, 4]) {
    expect(readContent<object>({ bumps: [], version } as object)).toEqual({ bumps: [] })
    expect(readContent<object>({ chosen: null, version } as object)).toEqual({ chosen: null })
    expect(readContent<object>({ offers: [], version } as object)).toEqual({ offers: [] })
  }
  const front = { headline: '', intro: '', sections: [] }
  expect(readContent<object>({ ...front, version: 3 } as object)).toEqual({ ...front, hasBasket: false })
  expect(readContent<object>({ headline: '', version: 3 } as object)).toEqual({ headline: '' })
  expect(readContent<object>({ sections: [], version: 3 } as object)).toEqual({ sections: [] })
  const now = { ...page, bumps: [], upsells: [{ id: 'one' }], upsellsByTransfer: true }
  expect(readContent<object>(storeContent(now))).toEqual(now)
})

it('a course of an older version opens with its purchase', () => {
  const course = { title: 'Coptic binding', summary: '', lessons: [] }
  expect(readContent<object>({ ...course, version: 5 } as object)).toEqual({ ...course, opens: null })
  expect(readContent<object>({ lessons: [], version: 5 } as object)).toEqual({ lessons: [] })
  expect(readContent<object>({ summary: '', version: 5 } as object)).toEqual({ summary: '' })
  const now = { ...course, opens: '2027-03-01' }
  expect(readContent<object>(storeContent(now))).toEqual(now)
})
