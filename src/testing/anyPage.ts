import fc from 'fast-check'
import {
  emptyPart,
  MAX_LINES_GOT,
  mayAdd,
  mayStand,
  newShot,
  PART_KINDS,
  type PagePart,
  PLACES,
  type Shot,
} from '../core/checkoutPages/parts.ts'
import { EVERYDAY_PAGE, type PageContent } from '../core/content/checkoutPage.ts'
import { COVER_COLORS } from '../core/content/course.ts'

/** Texts that break what is put together badly: long words, markup, other scripts and directions, signs of HTML. */
const HARD = [
  '',
  ' ',
  'Donaudampfschifffahrtselektrizitätenhauptbetriebswerkbauunterbeamtengesellschaft',
  'x'.repeat(200),
  '<script>alert(1)</script>',
  '"><img src=x onerror=alert(1)>',
  'עברית מימין לשמאל',
  '👩🏽‍🎨 & <b>bold</b>',
  '&lt;',
  '{money} %s $x',
]

const words = (most: number) =>
  fc
    .oneof(fc.constantFrom(...HARD), fc.lorem({ maxCount: 12 }), fc.string({ maxLength: 40 }))
    .map((text) => text.slice(0, most).replace(/\p{Cs}/gu, ''))

/** Rich text as the server would have cleaned it. */
const html = fc
  .array(
    fc
      .tuple(fc.constantFrom('p', 'h2', 'h3', 'blockquote'), fc.lorem({ maxCount: 8 }), fc.constantFrom(...HARD))
      .map(([tag, text, hard]) => `<${tag}>${text} ${hard.replace(/[<&>]/g, '')}</${tag}>`),
    { maxLength: 6 },
  )
  .map((blocks) => blocks.join(''))

/**
 * Any page that the schema allows.
 * @param pictureIds stored pictures that it may show. @param videoIds the same of videos.
 */
export function anyPage(pictureIds: readonly string[], videoIds: readonly string[] = []): fc.Arbitrary<PageContent> {
  const percent = fc.integer({ min: 0, max: 100 })
  const shot: fc.Arbitrary<Shot | null> =
    pictureIds.length === 0
      ? fc.constant(null)
      : fc.option(
          fc
            .tuple(fc.constantFrom(...pictureIds), percent, percent, words(200), fc.boolean())
            .map(([id, x, y, alt, isDecoration]) => ({ ...newShot(id), focus: { x, y }, alt, isDecoration })),
        )
  const filled = (kind: PagePart['kind'], id: string): fc.Arbitrary<PagePart> => {
    const part = emptyPart(kind, id)
    const place = fc.constantFrom(...PLACES.filter((one) => mayStand(kind, one)))
    const more: Record<string, fc.Arbitrary<unknown>> = { place }
    const texts: Record<string, number> = { kicker: 80, title: 80, text: 120, caption: 200, name: 80 }
    for (const field of Object.keys(part)) {
      if (field in texts) more[field] = words(texts[field] as number)
      if (field === 'picture') more[field] = shot
    }
    const own: Partial<Record<PagePart['kind'], Record<string, fc.Arbitrary<unknown>>>> = {
      opening: { behind: fc.constantFrom('color', 'picture', 'plain') },
      logo: { size: fc.constantFrom('small', 'large') },
      text: { html },
      picture: { shape: fc.constantFrom('own', 'wide', 'square') },
      video: { videoId: fc.option(fc.constantFrom(...videoIds, crypto.randomUUID())), stillId: fc.constant(null) },
      gets: { lines: fc.array(words(160), { maxLength: MAX_LINES_GOT }) },
      lessons: { hasNumbers: fc.boolean() },
      testimonials: {
        people: fc.uniqueArray(
          fc.record({ id: fc.uuid(), words: words(500), name: words(80), role: words(80), picture: shot }),
          { maxLength: 6, selector: (person) => person.id },
        ),
      },
      guarantee: { days: fc.option(fc.integer({ min: 1, max: 730 })), hasBadge: fc.boolean() },
      questions: {
        list: fc.uniqueArray(fc.record({ id: fc.uuid(), question: words(200), answer: words(2000) }), {
          maxLength: 12,
          selector: (entry) => entry.id,
        }),
      },
      countdown: { to: fc.constantFrom('sale', 'page', 'code') },
    }
    return fc.record({ ...more, ...own[kind] }).map((patch) => ({ ...part, ...patch }) as PagePart)
  }
  const parts = fc.array(fc.constantFrom(...PART_KINDS), { maxLength: 20 }).chain((kinds) => {
    const chosen: PagePart[] = []
    for (const kind of kinds) if (mayAdd(chosen, kind)) chosen.push(emptyPart(kind, `part-${chosen.length}`))
    return fc.tuple(...chosen.map(({ kind, id }) => filled(kind, id)))
  })
  return fc
    .record({
      parts,
      formSide: fc.constantFrom('left' as const, 'right' as const),
      color: fc.option(fc.constantFrom(...COVER_COLORS)),
      title: words(70),
      description: words(200),
      isListed: fc.boolean(),
    })
    .map(({ title, description, isListed, ...page }) => ({
      ...EVERYDAY_PAGE,
      ...page,
      search: { title, description, isListed, pictureId: null },
    }))
}
