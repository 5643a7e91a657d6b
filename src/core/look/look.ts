import * as v from 'valibot'

/** Pairs of type that ship with the product: for headings, and for text. */
export const TYPE_PAIRS = ['workshop', 'book'] as const
export type TypePair = (typeof TYPE_PAIRS)[number]

/** How a school looks in its shop; set once, for all its pages. */
export const lookSchema = v.object({
  /** A stored picture; null: there is none. */
  logoId: v.nullable(v.pipe(v.string(), v.uuid())),
  /** Behind openings and heads, as `#rrggbb`; null: each product's own. */
  color: v.nullable(v.pipe(v.string(), v.regex(/^#[0-9a-f]{6}$/, 'Write a colour like #8f6220.'))),
  type: v.picklist(TYPE_PAIRS),
  corners: v.picklist(['round', 'square']),
})
export type Look = v.InferOutput<typeof lookSchema>

/** The look of a school that has set none. */
export const PLAIN_LOOK: Look = { logoId: null, color: null, type: 'workshop', corners: 'round' }
