import * as v from 'valibot'
import { describe, expect, it } from 'vitest'
import { EVERYDAY_PAGE, pageContentSchema } from '../content/checkoutPage.ts'
import { PLAIN_LOOK } from '../look/look.ts'
import { ARRANGEMENTS, arranged } from './arrangements.ts'
import { buyButton } from './buyButton.ts'
import { addEntry, raiseEntry, removeEntry, setAt } from './edit.ts'
import { isAnswered, isTestimonial, type PageFacts, pageWarnings, rowsThatDiffer, whyNotShown } from './facts.ts'
import { orderHeadings } from './headings.ts'
import { emptyPart, MAX_PARTS, mayAdd, newShot, PART_KINDS, type PagePart } from './parts.ts'
import { sampleFacts, samplePart } from './sample.ts'
import { formatEnd, formatLeft } from './timeLeft.ts'

const ID = '7965e461-bb32-4cc8-a35e-658f711ac81f'
const facts: PageFacts = {
  school: { name: 'School', language: 'en', timeZone: 'Europe/Vienna', look: PLAIN_LOOK },
  product: {
    kind: 'course',
    title: 'Paper & ink',
    summary: '',
    coverColor: 'ochre',
    coverId: null,
    about: { label: 'About', href: '/course/x' },
  },
  titles: ['One'],
  titlesOf: 'lessons',
  saving: null,
  prices: [],
  ends: { sale: null, page: null, code: null },
  at: '2027-02-01T10:00:00.000Z',
  videos: {},
  pictures: {},
}
const parse = (content: unknown) => v.safeParse(pageContentSchema, content)

describe('a page', () => {
  it('that is new begins with no word of anybody', () => {
    for (const arrangement of ARRANGEMENTS) {
      const page = arranged(arrangement)
      expect(parse(page).success).toBe(true)
      const said = JSON.stringify(page.parts, (key, value) =>
        typeof value === 'string' && !['id', 'kind', 'place', 'behind', 'size', 'shape', 'to'].includes(key)
          ? `!${value}`
          : value,
      )
      expect(said.match(/"![^"]+"/g)).toBeNull()
    }
  })

  it('holds 20 parts at most, each at a place of its own kind, and some once', () => {
    const dividers = (count: number) => Array.from({ length: count }, (_, n) => emptyPart('divider', `d${n}`))
    expect(parse({ ...EVERYDAY_PAGE, parts: dividers(MAX_PARTS) }).success).toBe(true)
    const refused = (parts: unknown[]) => parse({ ...EVERYDAY_PAGE, parts }).issues?.[0]?.message
    expect(refused(dividers(MAX_PARTS + 1))).toBe('A page has at most 20 parts besides the form.')
    expect(refused([{ ...emptyPart('opening', 'one'), place: 'below' }])).toBe('A part cannot stand at this place.')
    expect(refused([emptyPart('opening', 'one'), emptyPart('opening', 'two')])).toContain('once at most')
    expect(refused([emptyPart('text', 'one'), emptyPart('gets', 'one')])).toBe('Two parts of a page have the same id.')
    expect(refused([{ ...emptyPart('gets', 'one'), lines: Array(9).fill('x') }])).toBe('At most 8 lines.')
    expect(mayAdd([emptyPart('countdown', 'one')], 'countdown')).toBe(false)
    expect(mayAdd(dividers(MAX_PARTS), 'text')).toBe(false)
  })
})

describe('a part', () => {
  const shown = (part: PagePart, more: Partial<PageFacts> = {}) => whyNotShown(part, { ...facts, ...more }) === null

  it('without anything to show is not shown, and with something it is', () => {
    const person = { id: 'a', words: 'x', name: 'Ada', role: '', picture: null }
    const column = { id: 'a', name: 'a', price: '', isHighlighted: false, rows: {}, lines: [] }
    const video = { length: 1, width: 1, height: 1, name: '', warning: null, hasCaptions: false }
    const look = { ...PLAIN_LOOK, logoId: ID }
    const filled: [PagePart, Partial<PageFacts>?][] = [
      [emptyPart('logo', 'x'), { school: { ...facts.school, look } }],
      [{ ...emptyPart('text', 'x'), html: '<p>A</p>' }],
      [{ ...emptyPart('picture', 'x'), picture: newShot(ID) }],
      [{ ...emptyPart('video', 'x'), videoId: ID }, { videos: { [ID]: video } }],
      [{ ...emptyPart('gets', 'x'), lines: [' ', 'A'] }],
      [{ ...emptyPart('testimonials', 'x'), people: [person] }],
      [{ ...emptyPart('guarantee', 'x'), days: 14 }],
      [{ ...emptyPart('questions', 'x'), list: [{ id: 'a', question: 'A?', answer: 'B.' }] }],
      [emptyPart('prices', 'x'), { prices: [column, { ...column, id: 'b' }] }],
      [{ ...emptyPart('teacher', 'x'), name: 'Ada' }],
      [emptyPart('countdown', 'x'), { ends: { sale: '2027-02-01T12:30:00+01:00', page: null, code: null } }],
    ]
    for (const [part, more] of filled) {
      expect([part.kind, shown(part, more)]).toEqual([part.kind, true])
      expect([part.kind, shown(emptyPart(part.kind, 'x'))]).toEqual([part.kind, false])
    }
    expect(shown(emptyPart('lessons', 'x'), { titles: [] })).toBe(false)
    expect(shown({ ...emptyPart('text', 'x'), html: '<p>&nbsp;</p><hr>' })).toBe(false)
    expect(shown({ ...emptyPart('testimonials', 'x'), people: [{ ...person, name: ' ' }] })).toBe(false)
    // A video that is named but not there.
    expect(shown({ ...emptyPart('video', 'x'), videoId: ID })).toBe(false)
  })

  it('counts down to nothing that is over, in whatever zone that was written', () => {
    const ends = (sale: string) => ({ ends: { sale, page: null, code: null } })
    expect(shown(emptyPart('countdown', 'x'), ends('2027-02-01T10:30:00+01:00'))).toBe(false)
    expect(shown(emptyPart('countdown', 'x'), ends('2027-02-01T05:30:00-05:00'))).toBe(true)
  })

  it('that deserves a look is said: a video without its file or captions, a countdown to nothing', () => {
    const video = { ...emptyPart('video', 'film'), videoId: ID }
    const known = { length: 1, width: 1, height: 1, name: '', warning: null, hasCaptions: true }
    const whys = (parts: PagePart[], of = known) =>
      pageWarnings(parts, { ...facts, videos: { [ID]: of } }).map(({ partId, why }) => `${partId}: ${why}`)
    expect(whys([video, emptyPart('divider', 'x')])).toEqual([])
    expect(whys([video], { ...known, hasCaptions: false })).toEqual(['film: The video has no captions.'])
    expect(whys([emptyPart('countdown', 'end')])).toEqual([
      'end: The countdown is not shown. No sale with an end is running.',
    ])
    expect(pageWarnings([video], facts)).toEqual([
      { partId: 'film', why: 'The file of the video is not here. Upload it again.' },
    ])
  })

  it('is changed at one place, and everything else of it stays the same object', () => {
    const part = {
      ...emptyPart('testimonials', 'x'),
      people: [
        { id: 'a', words: 'x', name: '', role: '', picture: null },
        { id: 'b', words: 'y', name: '', role: '', picture: null },
      ],
    }
    const changed = setAt(part, 'people/1/name', 'Ada')
    expect(changed.people[1]).toMatchObject({ words: 'y', name: 'Ada' })
    expect(changed.people[0]).toBe(part.people[0])
    expect(raiseEntry(changed, 'people', 1).people.map(({ id }) => id)).toEqual(['b', 'a'])
    expect(raiseEntry(changed, 'people', 0)).toBe(changed)
    expect(removeEntry(changed, 'people', 0).people.map(({ id }) => id)).toEqual(['b'])
    expect(addEntry(changed, 'people', 'c').people[2]).toMatchObject({ id: 'c', words: '' })
    expect(addEntry(emptyPart('gets', 'x'), 'lines', 'c').lines).toEqual([''])
    const lines = { ...emptyPart('gets', 'x'), lines: ['a', 'b'] }
    expect(addEntry(lines, 'lines', '', 1).lines).toEqual(['a', '', 'b'])
    expect(addEntry(lines, 'lines', '').lines).toEqual(['a', 'b', ''])
    expect(() => setAt(part, 'people/2/name', 'x')).toThrow('no people/2/name')
    expect(() => setAt(part, '__proto__/x', 'x')).toThrow(RangeError)
    expect(() => addEntry(part, 'lines', 'x')).toThrow('no lines')
  })

  it('is shown before it is added with the product’s own words, which are escaped', () => {
    for (const kind of PART_KINDS)
      expect(
        parse({ ...EVERYDAY_PAGE, parts: [{ ...samplePart(kind, facts), place: emptyPart(kind, 'x').place }] }).success,
      ).toBe(kind !== 'video')
    expect(samplePart('text', facts)).toMatchObject({ html: expect.stringContaining('Paper &amp; ink') })
    // Also of a course with nothing in it yet; its picture and logo are not made up.
    const bare = { ...facts, titles: [] }
    const unseen = PART_KINDS.filter((kind) => whyNotShown(samplePart(kind, bare), sampleFacts(bare)) !== null)
    expect(unseen).toEqual(['logo', 'picture'])
  })
})

it('a testimonial has words and a name, a question an answer: one of both alone is not shown', () => {
  for (const [one, other, holds] of [
    ['A fine course', 'Mara', true],
    ['A fine course', ' ', false],
    ['', 'Mara', false],
    [' ', '', false],
  ] as const) {
    expect(isTestimonial({ words: one, name: other })).toBe(holds)
    expect(isAnswered({ question: one, answer: other })).toBe(holds)
  }
})

it('headings of a text stand below those of the page, and none skips a level', () => {
  expect(orderHeadings('<h3>A</h3><p>b</p><h3>C</h3><h2>D</h2><h3>E</h3>')).toBe(
    '<h2>A</h2><p>b</p><h3>C</h3><h2>D</h2><h3>E</h3>',
  )
  expect(orderHeadings('<p>no</p>')).toBe('<p>no</p>')
})

it('a price table has only the rows in which its offers differ', () => {
  const column = (id: string, rows: Record<string, string>) => ({
    id,
    name: id,
    price: '',
    isHighlighted: false,
    rows,
    lines: [],
  })
  expect(
    rowsThatDiffer([
      column('a', { Today: '€5', Access: 'for good' }),
      column('b', { Today: '€6', Access: 'for good' }),
    ]),
  ).toEqual(['Today'])
  expect(rowsThatDiffer([column('a', { Today: '€5' }), column('b', {})])).toEqual(['Today'])
})

it('how much time is left is said in its two largest units, and an end by the school’s clock', () => {
  const left = (until: string) => formatLeft(until, '2027-02-01T10:00:00Z')
  expect(left('2027-02-04T14:30:00Z')).toBe('3 days 4 hours left')
  expect(left('2027-02-02T10:00:00Z')).toBe('1 day left')
  expect(left('2027-02-01T11:00:01Z')).toBe('1 hour 1 minute left')
  expect(left('2027-02-01T10:00:00Z')).toBe('0 minutes left')
  expect(left('2027-01-01T10:00:00Z')).toBe('0 minutes left')
  const school = { language: 'en', timeZone: 'Europe/Vienna' }
  expect(formatEnd('2027-03-21T17:00:00Z', school)).toBe('21 March 2027, 18:00')
  expect(formatEnd('2027-03-21T23:00:00Z', school)).toBe('21 March 2027')
})

it('a button for other sites is a link with its words, whatever they are', () => {
  const html = buyButton({ href: 'https://school.example/buy/x?a=1&b="2"', words: '<b>Buy</b> & read' })
  expect(html).toMatch(/^<a href="https:\/\/school\.example\/buy\/x\?a=1&amp;b=&quot;2&quot;" style="[^"<>]+">/)
  expect(html).toContain('>&lt;b&gt;Buy&lt;/b&gt; &amp; read</a>')
})
