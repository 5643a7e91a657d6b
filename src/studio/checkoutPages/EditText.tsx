import { useLayoutEffect, useRef } from 'react'
import { flushSync } from 'react-dom'
import { addEntry, removeEntry } from '../../core/checkoutPages/edit.ts'
import { MAX_LINES_GOT } from '../../core/checkoutPages/parts.ts'
import type { EditableText } from '../../ui/checkoutPages/editing.tsx'
import { classes } from '../../ui/classes.ts'
import { usePageBench } from './bench.tsx'
import { goInto, writeOn } from './entries.tsx'

/** A text of the page, written on where it stands. It is plain: what is pasted loses its looks. */
export function EditText({ part, at, value, label, fallback, maxLength, hasLines }: EditableText) {
  const { set, change, part: current } = usePageBench()
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
    const cleaned = plain === '\n' ? '' : [...plain].slice(0, maxLength).join('')
    if (cleaned !== text) putBack(span, cleaned)
    typed.current = cleaned
    set(part.id, at, cleaned)
  }
  // As in a list anywhere: Enter begins another line, and an empty one goes where it is erased.
  const line = part.kind === 'gets' && at.startsWith('lines/') ? Number(at.slice('lines/'.length)) : null
  const onEnter = (span: HTMLSpanElement) => {
    if (line === null) return goOn(span)
    const now = current(part.id)
    if (now?.kind !== 'gets' || now.lines.length >= MAX_LINES_GOT) return
    flushSync(() => change(part.id, (one) => addEntry(one, 'lines', '', line + 1)))
    writeOn(span.ownerDocument, part.id, line + 1)
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
        if (hasLines || event.nativeEvent.isComposing) return
        if (event.key === 'Enter') {
          event.preventDefault()
          onEnter(event.currentTarget)
        }
        if (event.key === 'Backspace' && line !== null && line > 0 && event.currentTarget.textContent === '') {
          event.preventDefault()
          flushSync(() => change(part.id, (now) => removeEntry(now, 'lines', line)))
          writeOn(event.currentTarget.ownerDocument, part.id, line - 1)
        }
      }}
    />
  )
}

/** Puts a text in and the caret behind it. */
function putBack(span: HTMLSpanElement, text: string) {
  span.textContent = text
  goInto(span)
}

/** To the next text of the part; after the last one it stays. */
function goOn(span: HTMLSpanElement) {
  const all = [...(span.closest('[data-part-id]')?.querySelectorAll<HTMLElement>('[role=textbox]') ?? [])]
  const next = all[all.indexOf(span) + 1]
  if (next) goInto(next)
}
