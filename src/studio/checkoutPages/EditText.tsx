import { useLayoutEffect, useRef } from 'react'
import type { EditableText } from '../../ui/checkoutPages/editing.tsx'
import { classes } from '../../ui/classes.ts'
import { usePageBench } from './bench.tsx'

/** A text of the page, written on where it stands. It is plain: what is pasted loses its looks. */
export function EditText({ part, at, value, label, fallback, maxLength, hasLines }: EditableText) {
  const { set } = usePageBench()
  const place = useRef<HTMLSpanElement>(null)
  const typed = useRef<string | null>(null)
  // What is typed stands there already; what comes from elsewhere, undo or another window, is put in.
  useLayoutEffect(() => {
    const span = place.current
    if (!span || typed.current === value) return
    typed.current = value
    span.textContent = value
  }, [value])
  const read = (span: HTMLSpanElement) => {
    const text = (hasLines ? span.textContent : (span.textContent ?? '')).replaceAll('\u00a0', ' ')
    const plain = hasLines ? text.replace(/\n{3,}/g, '\n\n') : text.replace(/\s*\n\s*/g, ' ')
    const kept = plain === '\n' ? '' : [...plain].slice(0, maxLength).join('')
    if (kept !== text) putBack(span, kept)
    typed.current = kept
    set(part.id, at, kept)
  }
  return (
    <span
      ref={place}
      role="textbox"
      tabIndex={0}
      aria-label={label}
      aria-multiline={hasLines}
      contentEditable="plaintext-only"
      suppressContentEditableWarning
      spellCheck
      data-placeholder={fallback || label}
      className={classes(
        'cursor-text rounded-[2px] outline-offset-4 before:pointer-events-none empty:before:content-[attr(data-placeholder)] hover:outline hover:outline-1 hover:outline-current/50 focus:outline-2 focus:outline-current',
        fallback === '' && 'empty:before:opacity-60',
        hasLines && 'block whitespace-pre-wrap',
      )}
      onInput={(event) => read(event.currentTarget)}
      onKeyDown={(event) => {
        if (event.key === 'Escape') event.currentTarget.blur()
        if (event.key !== 'Enter' || hasLines) return
        event.preventDefault()
        event.currentTarget.blur()
      }}
    />
  )
}

/** Puts a text in and the caret behind it. */
function putBack(span: HTMLSpanElement, text: string) {
  span.textContent = text
  const selection = span.ownerDocument.getSelection()
  selection?.selectAllChildren(span)
  selection?.collapseToEnd()
}
