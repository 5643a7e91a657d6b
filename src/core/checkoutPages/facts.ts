import type { CoverColor } from '../content/course.ts'
import type { Look } from '../look/look.ts'
import type { PagePart, Shot } from './parts.ts'

/** What a checkout page shows besides what its creator wrote: all of it true at the moment at which it is shown. */
export interface PageFacts {
  school: { name: string; language: string; timeZone: string; look: Look }
  product: PageProduct
  /** Titles of a course's lessons, of a bundle's courses, or of what is in a basket. */
  titles: string[]
  /** What the titles are of. */
  titlesOf: 'lessons' | 'courses' | 'basket'
  /** What is saved, in words; null where nothing is. */
  saving: string | null
  /** Its offers side by side. */
  prices: PriceColumn[]
  /** The moments to which can be counted (ISO 8601); null: it has no end. */
  ends: Record<'sale' | 'page' | 'code', string | null>
  /** The moment of which all this is true (ISO 8601). */
  at: string
  /** Videos by id; one that is missing is not shown. */
  videos: Record<string, VideoFacts>
  /** Stored pictures by id. */
  pictures: Record<string, PictureFacts>
}

/** What a page knows of a stored picture. */
export interface PictureFacts {
  /** In pixels. */
  width: number
  height: number
  /** Of the page's first picture, a coarse copy as a data address: it stands in the page itself until the picture has come. */
  preview: string | null
}

export interface PageProduct {
  kind: 'course' | 'bundle'
  title: string
  summary: string
  coverColor: CoverColor
  coverId: string | null
  /** The product's own page, and what leads there. */
  about: { label: string; href: string }
}

/** One offer in a price table. */
export interface PriceColumn {
  id: string
  name: string
  /** The whole price, in words. */
  price: string
  isHighlighted: boolean
  /** What the offers differ in, by what it is. */
  rows: Record<string, string>
  lines: string[]
}

export interface VideoFacts {
  /** Seconds. */
  length: number
  width: number
  height: number
  /** What it was called by who uploaded it. */
  name: string
  /** What may not play everywhere, in words. */
  warning: string | null
  hasCaptions: boolean
}

/** Why buyers do not see a part as it stands, in one sentence for its creator; null where they see it. */
export function whyNotShown(part: PagePart, facts: PageFacts): string | null {
  switch (part.kind) {
    case 'opening':
    case 'divider':
      return null
    case 'logo':
      return facts.school.look.logoId ? null : 'The school has no logo yet.'
    case 'text':
      return hasWords(part.html) ? null : EMPTY
    case 'picture':
      return part.picture ? null : 'No picture yet.'
    case 'video':
      return part.videoId && facts.videos[part.videoId] ? null : 'No video yet.'
    case 'gets':
      return part.lines.some(isWritten) ? null : EMPTY
    case 'lessons':
      return facts.titles.length > 0 ? null : 'Nothing is in it yet.'
    case 'testimonials':
      return part.people.some(isTestimonial) ? null : 'No testimonial yet.'
    case 'guarantee':
      return part.days !== null || isWritten(part.text) ? null : EMPTY
    case 'questions':
      return part.list.some(isAnswered) ? null : 'No question with an answer yet.'
    case 'prices':
      return facts.prices.length > 1 ? null : 'There is only one offer to show.'
    case 'teacher':
      return isWritten(part.name) || isWritten(part.text) ? null : EMPTY
    case 'countdown': {
      const end = facts.ends[part.to]
      if (end === null) return NO_END[part.to]
      return Date.parse(end) > Date.parse(facts.at) ? null : 'What it counts to is over.'
    }
  }
}

const EMPTY = 'Nothing is written yet.'
const NO_END = {
  sale: 'No sale with an end is running.',
  page: 'The page has no end.',
  code: 'The page has no code with an end.',
} as const

const isWritten = (text: string) => text.trim() !== ''

/** A testimonial is somebody's words: without either it is none. */
export function isTestimonial({ words, name }: { words: string; name: string }): boolean {
  return isWritten(words) && isWritten(name)
}

export function isAnswered({ question, answer }: { question: string; answer: string }): boolean {
  return isWritten(question) && isWritten(answer)
}

/** Whether HTML says anything: tags alone do not. */
function hasWords(html: string): boolean {
  return isWritten(html.replaceAll(/<[^>]*>/g, ' ').replaceAll('&nbsp;', ' '))
}

/** What deserves a look on a page before it is published, though nothing keeps it from that: by part, in a sentence. */
export function pageWarnings(parts: readonly PagePart[], facts: PageFacts): { partId: string; why: string }[] {
  return parts.flatMap((part) => {
    const video = part.kind === 'video' && part.videoId ? facts.videos[part.videoId] : undefined
    const found = (why: string) => [{ partId: part.id, why }]
    if (part.kind === 'video' && part.videoId && !video)
      return found('The file of the video is not here. Upload it again.')
    if (part.kind === 'countdown' && whyNotShown(part, facts))
      return found(`The countdown is not shown. ${whyNotShown(part, facts)}`)
    if (!video) return []
    return [
      ...(video.warning ? found(video.warning) : []),
      ...(video.hasCaptions ? [] : found('The video has no captions.')),
    ]
  })
}

/** A picture whose describing is neither done nor declared needless. */
export function isUndescribed({ alt, isDecoration }: Shot): boolean {
  return !isDecoration && !isWritten(alt)
}

/** Of a price table only the rows in which its offers differ, in their order. */
export function rowsThatDiffer(prices: readonly PriceColumn[]): string[] {
  const all = [...new Set(prices.flatMap(({ rows }) => Object.keys(rows)))]
  return all.filter((row) => new Set(prices.map(({ rows }) => rows[row] ?? '')).size > 1)
}
