import { ArrowUp, Plus, X } from 'lucide-react'
import { flushSync } from 'react-dom'
import { addEntry, type ListName, raiseEntry, removeEntry } from '../../core/checkoutPages/edit.ts'
import type { PagePart } from '../../core/checkoutPages/parts.ts'
import { usePageBench } from './bench.tsx'

const CALLED: Record<ListName, string> = { lines: 'line', people: 'testimonial', list: 'question' }

/** One more entry of a list on the page. */
export function More({ part, list, length }: { part: PagePart; list: string; length: number }) {
  const { change } = usePageBench()
  const of = list as ListName
  return (
    <button
      type="button"
      className="mt-2 inline-flex items-center gap-1 text-[13.5px] text-leaf underline underline-offset-3"
      onClick={(event) => {
        const page = event.currentTarget.ownerDocument
        flushSync(() => change(part.id, (now) => addEntry(now, of, crypto.randomUUID())))
        writeOn(page, part.id, length)
      }}
    >
      <Plus size={14} aria-hidden="true" /> Add a {CALLED[of]}
    </button>
  )
}

/** Goes on with the first text of an entry that is drawn by now, behind what stands there: no letter is lost in between. */
export function writeOn(page: Document, partId: string, index: number): void {
  const entry = page.querySelector(`[data-part-id="${partId}"] [data-entry="${index}"]`)
  const field = entry?.closest('li, div')?.querySelector<HTMLElement>('[role=textbox]')
  if (field) goInto(field)
}

/** Puts the caret behind a text. */
export function goInto(field: HTMLElement): void {
  field.focus()
  const selection = field.ownerDocument.getSelection()
  selection?.selectAllChildren(field)
  selection?.collapseToEnd()
}

/** Moves an entry up, or removes it. */
export function Entry({ part, list, index }: { part: PagePart; list: string; index: number; length: number }) {
  const { change } = usePageBench()
  const of = list as ListName
  const called = `${CALLED[of]} ${index + 1}`
  const button = 'inline-grid size-6 place-items-center rounded-full text-ink-3 hover:bg-acorn hover:text-ink'
  return (
    <span data-entry={index} className="absolute right-0 bottom-0.5 inline-flex bg-ground/80">
      {index > 0 && (
        <button
          type="button"
          aria-label={`Move ${called} up`}
          title={`Move ${called} up`}
          className={button}
          onClick={() => change(part.id, (now) => raiseEntry(now, of, index))}
        >
          <ArrowUp size={13} />
        </button>
      )}
      <button
        type="button"
        aria-label={`Remove ${called}`}
        title={`Remove ${called}`}
        className={button}
        onClick={(event) => {
          const page = event.currentTarget.ownerDocument
          flushSync(() => change(part.id, (now) => removeEntry(now, of, index)))
          writeOn(page, part.id, Math.max(index - 1, 0))
        }}
      >
        <X size={13} />
      </button>
    </span>
  )
}
