import type { PagePart, Shot } from '../../core/checkoutPages/parts.ts'
import { pictureSource } from '../pictures.ts'
import { useEditing } from './editing.tsx'

interface PictureProps {
  part: PagePart
  /** Its place in the part. */
  at: string
  shot: Shot | null
  /** Its size in pixels, where it is shown uncut. */
  size?: { width: number; height: number } | undefined
  /** How wide it is shown, as `sizes` of HTML. */
  sizes: string
  /** The box that it fills; it is cut there, and never stretched. */
  className?: string
  /** Not among the first things seen. */
  isLazy?: boolean
}

/** A stored picture in its place; on the bench also the place of one that is missing. */
export function Picture({ part, at, shot, size, sizes, className = '', isLazy = false }: PictureProps) {
  const editing = useEditing()
  if (!shot) return editing ? <editing.Slot part={part} at={at} what="picture" className={className} /> : null
  return (
    <span className={`relative block overflow-hidden ${className}`}>
      <img
        {...pictureSource(shot.pictureId, size?.width)}
        sizes={sizes}
        width={size?.width}
        height={size?.height}
        alt={shot.isDecoration ? '' : shot.alt}
        loading={isLazy ? 'lazy' : undefined}
        className="size-full object-cover"
        style={{ objectPosition: `${shot.focus.x}% ${shot.focus.y}%` }}
      />
      {editing && <editing.Focus part={part} at={at} shot={shot} />}
    </span>
  )
}
