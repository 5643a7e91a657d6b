import { ArrowDown, ArrowUp, Trash2 } from 'lucide-react'
import { type ReactNode, useEffect, useRef } from 'react'
import { flushSync } from 'react-dom'
import { whyNotShown } from '../../core/checkoutPages/facts.ts'
import type { PagePart } from '../../core/checkoutPages/parts.ts'
import { classes } from '../../ui/classes.ts'
import { useFacts, useIsChosen, usePageBench } from './bench.tsx'
import { PART_NAMES } from './names.ts'

/** Around a part on the bench: whether it is chosen, what buyers do not see, and moving and removing it. */
export function Frame({ part, children }: { part: PagePart; children: ReactNode }) {
  const { store, step, remove } = usePageBench()
  const facts = useFacts()
  const isChosen = useIsChosen(part.id)
  const why = facts ? whyNotShown(part, facts) : null
  const [name] = PART_NAMES[part.kind]
  const place = useRef<HTMLDivElement>(null)
  // Chosen in the list, it comes into sight on the page.
  useEffect(() => {
    if (isChosen) place.current?.scrollIntoView({ block: 'nearest', behavior: 'smooth' })
  }, [isChosen])
  const choose = () => store.getState().choose(part.id)
  // In another place it is drawn anew: the keyboard stays on the button.
  const stepTo = (direction: 'up' | 'down') => () => {
    const page = place.current?.ownerDocument
    flushSync(() => step(part.id, direction))
    const button = `[data-part-id="${part.id}"] [aria-label="Move ${name} ${direction}"]`
    page?.querySelector<HTMLElement>(button)?.focus()
  }
  // The opening stands first.
  const moves: [string, ReactNode, () => void][] = [
    [`Move ${name} up`, <ArrowUp key="up" size={14} />, stepTo('up')],
    [`Move ${name} down`, <ArrowDown key="down" size={14} />, stepTo('down')],
  ]
  const tools: [string, ReactNode, () => void][] = [
    ...(part.kind === 'opening' ? [] : moves),
    [`Remove ${name}`, <Trash2 key="remove" size={14} />, () => remove(part.id)],
  ]
  return (
    <div
      ref={place}
      data-part-id={part.id}
      className={classes(
        'relative',
        part.kind !== 'opening' && 'rounded-[3px] outline-offset-8',
        isChosen &&
          (part.kind === 'opening' ? 'shadow-[inset_0_0_0_3px_var(--color-acorn)]' : 'outline-2 outline-leaf'),
      )}
      onPointerDownCapture={choose}
      // Writing chooses too; passing through by keyboard does not: what is chosen elsewhere stays in reach.
      onInputCapture={choose}
    >
      {why !== null && (
        <p className="mb-1 inline-block rounded-full border border-dashed border-ink-3 bg-sheet px-2 text-[12px] text-ink-2">
          {name}, not shown to buyers: {why}
        </p>
      )}
      {children}
      {isChosen && (
        <div
          role="toolbar"
          aria-label={name}
          className={classes(
            'absolute z-10 flex rounded-full border border-line-2 bg-sheet p-0.5 text-ink shadow-[0_6px_16px_-8px_rgb(26_35_28/.6)]',
            part.kind === 'opening' ? 'top-2 right-2' : '-top-5 right-0',
          )}
        >
          {tools.map(([label, icon, act]) => (
            <button
              key={label}
              type="button"
              aria-label={label}
              title={label}
              onClick={act}
              className="grid size-6 place-items-center rounded-full hover:bg-acorn"
            >
              {icon}
            </button>
          ))}
        </div>
      )}
    </div>
  )
}
