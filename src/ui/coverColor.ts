import type { CoverColor } from '../core/content/course.ts'

/** Each course's cloth as a background; white text on it has enough contrast. */
export const COVER_CLASS: Record<CoverColor, string> = {
  spruce: 'bg-spruce',
  madder: 'bg-madder',
  ochre: 'bg-ochre',
  indigo: 'bg-indigo',
  slate: 'bg-slate',
  plum: 'bg-plum',
}
