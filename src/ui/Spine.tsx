import type { CoverColor } from '../core/content/course.ts'
import { classes } from './classes.ts'
import { COVER_CLASS } from './coverColor.ts'

/** So many colours are told apart on a spine. */
const MAX_COLORS = 5

/** The spine of a book on a shelf: of a course in its colour, of a bundle in those of its courses. */
export function Spine({ colors, className = '' }: { colors: readonly CoverColor[]; className?: string }) {
  return (
    <span className={classes('flex flex-col overflow-hidden', className)}>
      {colors.slice(0, MAX_COLORS).map((color, index) => (
        <i key={index} className={classes('flex-1 shadow-[inset_-2px_0_0_rgb(0_0_0/.14)]', COVER_CLASS[color])} />
      ))}
    </span>
  )
}
