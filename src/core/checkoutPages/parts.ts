import * as v from 'valibot'

/** Most parts of one checkout page, besides its order form. */
export const MAX_PARTS = 20
export const MAX_LINES_GOT = 8
export const MAX_TESTIMONIALS = 6
export const MAX_QUESTIONS = 12
/** Most days of a guarantee. */
export const MAX_GUARANTEE_DAYS = 730

/** Where a part stands by the order form. On a phone there is one column: above, the form, beside, below. */
export const PLACES = ['above', 'beside', 'below'] as const
export type Place = (typeof PLACES)[number]

const uuid = v.pipe(v.string(), v.uuid())
const key = v.pipe(v.string(), v.minLength(1), v.maxLength(60))
const upTo = (most: number) => v.pipe(v.string(), v.maxLength(most, `Use at most ${most} characters.`))
const heading = upTo(80)
const percent = v.pipe(v.number(), v.minValue(0), v.maxValue(100))

/** A stored picture as one place shows it. */
const shotSchema = v.object({
  pictureId: uuid,
  /** What stays in sight where the picture is cut, in percent from its left and its top. */
  focus: v.object({ x: percent, y: percent }),
  /** The stored picture from which this one was cut, and where, in percent of its sides; null: it is whole. */
  cut: v.nullable(v.object({ pictureId: uuid, x: percent, y: percent, width: percent, height: percent })),
  /** What can be seen, for who cannot see it. */
  alt: upTo(200),
  /** It says nothing that the text does not say. */
  isDecoration: v.boolean(),
})
export type Shot = v.InferOutput<typeof shotSchema>
const shot = v.nullable(shotSchema)

const part = <const K extends string, E extends v.ObjectEntries>(kind: K, entries: E) =>
  v.object({ id: key, place: v.picklist(PLACES), kind: v.literal(kind), ...entries })

const testimonialSchema = v.object({ id: key, words: upTo(500), name: upTo(80), role: upTo(80), picture: shot })
const questionSchema = v.object({ id: key, question: upTo(200), answer: upTo(2000) })

/** A part of a checkout page. Empty texts are filled with the product's own where there are such, else the part is not shown. */
export const partSchema = v.variant('kind', [
  part('opening', {
    /** A small line above the title; empty: the school's name. */
    kicker: heading,
    /** Empty: the product's. */
    title: upTo(120),
    text: upTo(300),
    behind: v.picklist(['color', 'picture', 'plain']),
    picture: shot,
  }),
  part('logo', { size: v.picklist(['small', 'large']) }),
  /** HTML that the server has cleaned. */
  part('text', { html: v.pipe(v.string(), v.maxLength(20_000, 'This text is too long.')) }),
  part('picture', { picture: shot, caption: upTo(200), shape: v.picklist(['own', 'wide', 'square']) }),
  part('video', { title: heading, videoId: v.nullable(uuid), stillId: v.nullable(uuid) }),
  part('gets', {
    title: heading,
    lines: v.pipe(v.array(upTo(160)), v.maxLength(MAX_LINES_GOT, `At most ${MAX_LINES_GOT} lines.`)),
  }),
  part('lessons', { title: heading, hasNumbers: v.boolean() }),
  part('testimonials', {
    title: heading,
    people: v.pipe(v.array(testimonialSchema), v.maxLength(MAX_TESTIMONIALS, `At most ${MAX_TESTIMONIALS}.`)),
  }),
  part('guarantee', {
    days: v.nullable(
      v.pipe(
        v.number(),
        v.integer(),
        v.minValue(1),
        v.maxValue(MAX_GUARANTEE_DAYS, `At most ${MAX_GUARANTEE_DAYS} days.`),
      ),
    ),
    text: upTo(500),
    hasBadge: v.boolean(),
  }),
  part('questions', {
    title: heading,
    list: v.pipe(v.array(questionSchema), v.maxLength(MAX_QUESTIONS, `At most ${MAX_QUESTIONS}.`)),
  }),
  part('prices', {
    title: heading,
    /** The one that stands out; null: the one that its offer says. */
    highlighted: v.nullable(uuid),
  }),
  part('teacher', { title: heading, name: upTo(80), text: upTo(1500), picture: shot }),
  part('countdown', { text: upTo(120), to: v.picklist(['sale', 'page', 'code']) }),
  part('divider', {}),
])
export type PagePart = v.InferOutput<typeof partSchema>
export type PartKind = PagePart['kind']
export type PartOf<K extends PartKind> = Extract<PagePart, { kind: K }>

/** Kinds in the order in which they are offered. */
export const PART_KINDS = [
  'opening',
  'logo',
  'text',
  'picture',
  'video',
  'gets',
  'lessons',
  'testimonials',
  'guarantee',
  'questions',
  'prices',
  'teacher',
  'countdown',
  'divider',
] as const satisfies readonly PartKind[]

/** Where each kind looks well, and stands only: the first is where a new one goes. */
const STANDS: Record<PartKind, readonly Place[]> = {
  opening: ['above'],
  logo: ['above', 'below'],
  text: ['above', 'beside', 'below'],
  picture: ['below', 'above', 'beside'],
  video: ['beside', 'above', 'below'],
  gets: ['beside', 'above', 'below'],
  lessons: ['beside', 'below', 'above'],
  testimonials: ['below', 'beside', 'above'],
  guarantee: ['below', 'beside', 'above'],
  questions: ['below', 'above'],
  prices: ['above', 'below'],
  teacher: ['below', 'beside', 'above'],
  countdown: ['above', 'beside', 'below'],
  divider: ['below', 'above'],
}
/** Of these a page has one at most. */
const ONLY_ONE: ReadonlySet<PartKind> = new Set(['opening', 'logo', 'prices', 'countdown'])

export function mayStand(kind: PartKind, place: Place): boolean {
  return STANDS[kind].includes(place)
}

/** Whether nothing is there twice of which a page has one at most. */
export function onlyOnce(parts: readonly PagePart[]): boolean {
  const kinds = parts.map(({ kind }) => kind).filter((kind) => ONLY_ONE.has(kind))
  return new Set(kinds).size === kinds.length
}

export function mayAdd(parts: readonly PagePart[], kind: PartKind): boolean {
  return parts.length < MAX_PARTS && !(ONLY_ONE.has(kind) && parts.some((one) => one.kind === kind))
}

/** A new part without a word in it. */
export function emptyPart<K extends PartKind>(kind: K, id: string): PartOf<K>
export function emptyPart(kind: PartKind, id: string): PagePart {
  const head = { id, place: STANDS[kind][0] as Place }
  switch (kind) {
    case 'opening':
      return { ...head, kind, kicker: '', title: '', text: '', behind: 'color', picture: null }
    case 'logo':
      return { ...head, kind, size: 'small' }
    case 'text':
      return { ...head, kind, html: '' }
    case 'picture':
      return { ...head, kind, picture: null, caption: '', shape: 'own' }
    case 'video':
      return { ...head, kind, title: '', videoId: null, stillId: null }
    case 'gets':
      return { ...head, kind, title: '', lines: [] }
    case 'lessons':
      return { ...head, kind, title: '', hasNumbers: false }
    case 'testimonials':
      return { ...head, kind, title: '', people: [] }
    case 'guarantee':
      return { ...head, kind, days: null, text: '', hasBadge: true }
    case 'questions':
      return { ...head, kind, title: '', list: [] }
    case 'prices':
      return { ...head, kind, title: '', highlighted: null }
    case 'teacher':
      return { ...head, kind, title: '', name: '', text: '', picture: null }
    case 'countdown':
      return { ...head, kind, text: '', to: 'sale' }
    case 'divider':
      return { ...head, kind }
  }
}

/** A new shot of a stored picture: its middle stays in sight. */
export function newShot(pictureId: string): Shot {
  return { pictureId, focus: { x: 50, y: 50 }, cut: null, alt: '', isDecoration: false }
}

/** Every shot that a part shows, with where it stands in the part. */
export function shotsOf(part: PagePart): { at: string; shot: Shot }[] {
  const found = (at: string, one: Shot | null) => (one ? [{ at, shot: one }] : [])
  switch (part.kind) {
    case 'opening':
      return part.behind === 'picture' ? found('picture', part.picture) : []
    case 'picture':
    case 'teacher':
      return found('picture', part.picture)
    case 'testimonials':
      return part.people.flatMap(({ picture }, index) => found(`people/${index}/picture`, picture))
    default:
      return []
  }
}
