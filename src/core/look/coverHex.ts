import type { CoverColor } from '../content/course.ts'

/** The cover colours where no style sheet is: as `ui/theme.css` has them. */
export const COVER_HEX: Record<CoverColor, string> = {
  spruce: '#2f5d50',
  madder: '#8c3a46',
  ochre: '#8f6220',
  indigo: '#33466b',
  slate: '#56646d',
  plum: '#5e4163',
}
