import { type ComponentType, createContext, type ReactNode, useContext } from 'react'
import type { PagePart, Shot } from '../../core/checkoutPages/parts.ts'

/** A text of a part, by its place in it: `title`, `people/0/words`. */
export interface EditableText {
  part: PagePart
  at: string
  value: string
  /** What it is, for who does not see it, and where nothing stands in its place. */
  label: string
  /** What stands there while nothing is written; empty: its label, greyed. */
  fallback: string
  maxLength: number
  hasLines: boolean
}

/**
 * What a page can do while its creator works on it: the studio gives this, the shop does not. So both show the same
 * components, and buyers load nothing of it.
 */
export interface Editing {
  Text: ComponentType<EditableText>
  Rich: ComponentType<{ part: PagePart; html: string }>
  /** Around each part: what is chosen, and what buyers do not see. */
  Frame: ComponentType<{ part: PagePart; children: ReactNode }>
  /** Below a list: one more of it. */
  More: ComponentType<{ part: PagePart; list: string; length: number }>
  /** Beside an entry of a list: moves and removes it. */
  Entry: ComponentType<{ part: PagePart; list: string; index: number; length: number }>
  /** Instead of a picture or a video that is not there yet. */
  Slot: ComponentType<{ part: PagePart; at: string; what: 'picture' | 'video'; className?: string }>
  /** Over a picture: what stays in sight where it is cut. */
  Focus: ComponentType<{ part: PagePart; at: string; shot: Shot }>
}

export const EditingContext = createContext<Editing | null>(null)

export function useEditing(): Editing | null {
  return useContext(EditingContext)
}

interface WordsProps extends Omit<EditableText, 'fallback' | 'hasLines'> {
  fallback?: string
  hasLines?: boolean
  as?: 'h1' | 'h2' | 'h3' | 'p' | 'span' | 'div' | 'figcaption' | 'dt' | 'dd'
  className?: string
}

/** Words of a part: what its creator wrote, else what stands for it, else nothing. On the bench they are written on. */
export function Words({ as: As = 'p', className, fallback = '', hasLines = false, ...text }: WordsProps) {
  const editing = useEditing()
  if (editing) {
    return (
      <As dir="auto" className={className}>
        <editing.Text {...text} fallback={fallback} hasLines={hasLines} />
      </As>
    )
  }
  const shown = text.value.trim() || fallback
  if (shown === '') return null
  return (
    <As dir="auto" className={hasLines ? `${className ?? ''} whitespace-pre-line` : className}>
      {shown}
    </As>
  )
}
