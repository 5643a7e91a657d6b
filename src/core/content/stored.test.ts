import { expect, it } from 'vitest'
import { readContent, storeContent } from './stored.ts'

it('content is read as every version kept it, and not as a newer one did', () => {
  const content = { title: 'Coptic binding', lessons: [] }
  expect(readContent(storeContent(content))).toEqual(content)
  expect(readContent(content)).toEqual(content)
  expect(() => readContent({ ...content, version: 2 })).toThrow('newer version')
})
