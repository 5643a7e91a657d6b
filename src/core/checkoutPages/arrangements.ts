import { EVERYDAY_PAGE, type PageContent } from '../content/checkoutPage.ts'
import { emptyPart, type PagePart, type PartKind, type PartOf, type Place } from './parts.ts'

/** What a new page can begin with. None holds a word that somebody would have to take out again. */
export const ARRANGEMENTS = ['empty', 'short', 'letter', 'date', 'membership', 'free'] as const
export type Arrangement = (typeof ARRANGEMENTS)[number]

/** A new page of an arrangement, without a word in it. */
export function arranged(arrangement: Arrangement): PageContent {
  return { ...EVERYDAY_PAGE, parts: PARTS[arrangement].map((make, index) => make(`part-${index + 1}`)) }
}

type Make = (id: string) => PagePart

const part =
  <K extends PartKind>(kind: K, place: Place, more: Partial<Omit<PartOf<K>, 'id' | 'kind' | 'place'>> = {}): Make =>
  (id) =>
    ({ ...emptyPart(kind, id), ...more, place }) as PagePart

const PARTS: Record<Arrangement, readonly Make[]> = {
  empty: [],
  /** Little to say: what it is, what you get, and the form. */
  short: [part('opening', 'above'), part('gets', 'beside'), part('guarantee', 'beside')],
  /** The teacher writes to the reader, and the form comes after. */
  letter: [
    part('logo', 'above'),
    part('opening', 'above', { behind: 'plain' }),
    part('text', 'above'),
    part('picture', 'beside'),
    part('gets', 'beside'),
    part('teacher', 'below'),
    part('questions', 'below'),
  ],
  /** It begins on a day, and seats or a price end before. */
  date: [
    part('opening', 'above', { behind: 'picture' }),
    part('countdown', 'beside', { to: 'page' }),
    part('lessons', 'beside', { hasNumbers: true }),
    part('teacher', 'below'),
    part('questions', 'below'),
  ],
  /** It goes on, and is offered by the month and by the year. */
  membership: [
    part('opening', 'above'),
    part('prices', 'above'),
    part('gets', 'beside'),
    part('testimonials', 'below'),
    part('guarantee', 'below'),
    part('questions', 'below'),
  ],
  /** It costs nothing but an address: show what it is like. */
  free: [
    part('opening', 'above', { behind: 'picture' }),
    part('video', 'beside'),
    part('lessons', 'beside'),
    part('teacher', 'below'),
  ],
}
