import fc from 'fast-check'
import * as v from 'valibot'
import { expect, it } from 'vitest'
import type { PageFacts } from '../core/checkoutPages/facts.ts'
import { pageContentSchema } from '../core/content/checkoutPage.ts'
import { PLAIN_LOOK } from '../core/look/look.ts'
import type { ShopPage } from '../server/client.ts'
import { anyPage } from '../testing/anyPage.ts'
import { renderShop } from './render.tsx'

const PICTURE = '7965e461-bb32-4cc8-a35e-658f711ac81f'
const VIDEO = '5d0c8f0e-6d0f-4c52-9c0b-2f0f8a6f7b11'
const card = { kind: 'course', slug: 'x', buy: '/buy/x', summary: '', coverColor: 'ochre', coverId: null } as const
const school = { name: 'School', language: 'en', timeZone: 'UTC', look: PLAIN_LOOK }
const facts: PageFacts = {
  school,
  product: { ...card, title: 'Paper', about: { label: 'About', href: '/course/x' } },
  titles: ['One', 'Two'],
  titlesOf: 'lessons',
  saving: null,
  prices: ['a', 'b'].map((id) => ({ id, name: id, price: '€5', isHighlighted: false, rows: { Today: id }, lines: [] })),
  ends: { sale: '2027-03-01T00:00:00Z', page: null, code: null },
  at: '2027-02-01T00:00:00Z',
  videos: { [VIDEO]: { length: 8, width: 16, height: 9, name: 'x', warning: null, hasCaptions: true } },
  pictures: { [PICTURE]: { width: 1600, height: 800, preview: null } },
}

it('any page that the schema allows is drawn, with one heading above all and none that skips a level', () => {
  fc.assert(
    fc.property(anyPage([PICTURE], [VIDEO]), (content) => {
      const shaped = v.parse(pageContentSchema, content)
      const { markup } = renderShop({
        ...{ mode: 'live', basket: null, isOwnView: false, visitor: null },
        school: { ...school, currency: 'EUR', leaveOutZeros: false, taxMode: 'none', taxRate: 0, hasTerms: false },
        // Who has it already sees no form: here only what stands around it is of interest.
        view: {
          ...{ name: 'checkout', product: { ...card, title: 'Paper' }, isOwned: true, held: null },
          page: { shaped, facts },
        },
      } as unknown as ShopPage)
      const levels = [...markup.matchAll(/<h([1-6])\b/g)].map(([, level]) => Number(level))
      expect(levels.filter((level) => level === 1)).toHaveLength(1)
      let last = 0
      for (const level of levels) {
        expect(level).toBeLessThanOrEqual(last + 1)
        last = level
      }
      // Without the values of attributes, in which signs of markup are written as entities.
      expect(markup.replace(/"[^"]*"/g, '')).not.toMatch(/<script|<[a-z][^>]*\son\w+=/i)
      expect(markup).not.toContain('contenteditable')
      // What a creator writes is no part that the browser takes over.
      expect(markup.match(/id="order"/g)).toHaveLength(1)
    }),
    { numRuns: 400 },
  )
})
