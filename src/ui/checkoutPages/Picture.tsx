import type { PictureFacts } from '../../core/checkoutPages/facts.ts'
import type { PagePart, Shot } from '../../core/checkoutPages/parts.ts'
import { pictureSource } from '../pictures.ts'
import { useEditing } from './editing.tsx'

interface PictureProps {
  part: PagePart
  /** Its place in the part. */
  at: string
  shot: Shot | null
  /** What is known of it, unless it is gone. */
  facts: PictureFacts | undefined
  /** How wide it is shown, as `sizes` of HTML. */
  sizes: string
  /** The box that it fills; it is cut there, and never stretched. */
  className?: string
  /** Not among the first things seen. */
  isLazy?: boolean
}

/** A stored picture in its place; on the bench also the place of one that is missing. */
export function Picture({ part, at, shot, facts, sizes, className = '', isLazy = false }: PictureProps) {
  const editing = useEditing()
  if (!shot) return editing ? <editing.Slot part={part} at={at} what="picture" className={className} /> : null
  // The same picture may stand further down once more.
  const preview = isLazy ? null : facts?.preview
  const position = `${shot.focus.x}% ${shot.focus.y}%`
  return (
    <span className={`relative block overflow-hidden ${className}`}>
      {preview && (
        <img
          src={preview}
          alt=""
          aria-hidden
          decoding="sync"
          className="absolute inset-0 size-full object-cover"
          style={{ objectPosition: position }}
        />
      )}
      <img
        {...pictureSource(shot.pictureId, facts?.width)}
        sizes={sizes}
        width={facts?.width}
        height={facts?.height}
        alt={shot.isDecoration ? '' : shot.alt}
        loading={isLazy ? 'lazy' : undefined}
        fetchPriority={preview ? 'high' : undefined}
        className="relative size-full object-cover"
        style={{ objectPosition: position }}
      />
      {editing && <editing.Focus part={part} at={at} shot={shot} />}
    </span>
  )
}
