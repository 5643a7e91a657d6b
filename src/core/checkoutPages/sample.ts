import type { PageFacts } from './facts.ts'
import { emptyPart, type PagePart, type PartKind } from './parts.ts'

/** Stands for a video that is not there yet. */
const SAMPLE_VIDEO = 'sample'

/**
 * A part with the product's own words in it, to be looked at before it is added. Nothing of it goes onto the page, and
 * nobody is quoted who said nothing.
 */
export function samplePart(kind: PartKind, facts: PageFacts): PagePart {
  const part = emptyPart(kind, 'sample')
  const { title, summary } = facts.product
  switch (part.kind) {
    case 'text':
      return { ...part, html: `<h2>${escaped(title)}</h2><p>${escaped(summary || title)}</p>` }
    case 'picture':
      return facts.product.coverId ? { ...part, picture: coverOf(facts.product.coverId) } : part
    case 'video':
      return { ...part, videoId: SAMPLE_VIDEO, stillId: facts.product.coverId }
    case 'gets':
      return { ...part, lines: sampleFacts(facts).titles.slice(0, 4) }
    case 'testimonials':
      return {
        ...part,
        place: 'beside',
        people: [
          {
            id: 'one',
            words: `What somebody said about “${title}”`,
            name: 'Their name',
            role: 'what they do',
            picture: null,
          },
        ],
      }
    case 'guarantee':
      return { ...part, days: 14, text: `Who does not like “${title}” writes to ${facts.school.name}.` }
    case 'questions':
      return { ...part, list: [{ id: 'one', question: `What do I need for “${title}”?`, answer: summary || title }] }
    case 'teacher':
      return { ...part, name: facts.school.name, text: summary || title }
    case 'countdown':
      return { ...part, place: 'beside' }
    default:
      return part
  }
}

/** What a part is looked at with that a page has not yet: lessons, prices, a video, an end to count to. */
export function sampleFacts(facts: PageFacts): PageFacts {
  const soon = new Date(Date.parse(facts.at) + 3 * 86_400_000).toISOString()
  const { title } = facts.product
  const priced = (id: string, name: string) => ({
    id,
    name,
    price: '…',
    rows: {},
    lines: [title],
    isHighlighted: false,
  })
  return {
    ...facts,
    titles: facts.titles.length > 0 ? facts.titles : [title],
    prices:
      facts.prices.length > 1
        ? facts.prices
        : [...facts.prices, priced('one', 'One payment'), priced('other', 'Installments')].slice(0, 2),
    videos: { [SAMPLE_VIDEO]: { length: 60, width: 16, height: 7, name: '', warning: null, hasCaptions: true } },
    ends: { sale: facts.ends.sale ?? soon, page: facts.ends.page ?? soon, code: facts.ends.code ?? soon },
  }
}

function coverOf(pictureId: string) {
  return { pictureId, focus: { x: 50, y: 50 }, cut: null, alt: '', isDecoration: true }
}

function escaped(text: string): string {
  return text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;')
}
