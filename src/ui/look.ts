import type { CSSProperties } from 'react'
import type { CoverColor } from '../core/content/course.ts'
import type { Look } from '../core/look/look.ts'

const TYPE: Record<Look['type'], Record<string, string>> = {
  workshop: {},
  book: {
    '--font-display': '"Literata Variable", serif',
    '--font-text': '"Literata Variable", serif',
  },
}
/** Every radius of the shop's components; what is round by its nature, as a dot or a pill, stays so. */
const SQUARE = Object.fromEntries(['sm', 'md', 'lg', 'xl', 'field'].map((size) => [`--radius-${size}`, '0px']))

/** The look of a school as custom properties, for the element around everything. */
export function lookStyle({ type, corners }: Look): CSSProperties {
  const style: Record<string, string> = { ...TYPE[type], ...(corners === 'square' ? SQUARE : {}) }
  return type === 'workshop' ? style : { ...style, fontFamily: 'var(--font-text)' }
}

/** What stands behind openings and heads: a page's own colour, else the school's, else the product's. */
export function headColor(own: CoverColor | null, look: Pick<Look, 'color'>, product: CoverColor): string {
  if (own) return `var(--color-${own})`
  return look.color ?? `var(--color-${product})`
}
