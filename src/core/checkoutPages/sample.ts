import type { PageFacts } from './facts.ts'
import { emptyPart, type PagePart, type PartKind } from './parts.ts'

/** Stands for a video that is not there yet. */
export const SAMPLE_VIDEO = 'sample'

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
      return { ...part, lines: facts.titles.slice(0, 4) }
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

function coverOf(pictureId: string) {
  return { pictureId, focus: { x: 50, y: 50 }, cut: null, alt: '', isDecoration: true }
}

function escaped(text: string): string {
  return text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;')
}
