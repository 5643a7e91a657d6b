import { ChevronDown, ChevronRight } from 'lucide-react'
import type { ReactNode } from 'react'
import { classes } from '../../ui/classes.ts'

interface DrawerProps {
  title: string
  /** How many things are in it; null while it is not known. */
  count: number | null
  isOpen: boolean
  toggle: () => void
  /** What can be done beside the title. */
  acts: ReactNode
  children: ReactNode
}

/** One kind of thing on the shelf: a title that opens and closes it. What is in it scrolls, so that every title stays in sight. */
export function Drawer({ title, count, isOpen, toggle, acts, children }: DrawerProps) {
  const Chevron = isOpen ? ChevronDown : ChevronRight
  return (
    <section className={classes('mb-2 flex flex-col', isOpen ? 'min-h-[96px] shrink' : 'flex-none')}>
      <div className="flex flex-none items-center justify-between gap-1 px-1 pb-2 whitespace-nowrap">
        <h2 className="text-[15px]">
          <button
            type="button"
            aria-expanded={isOpen}
            onClick={toggle}
            className="-ml-1.5 inline-flex min-h-6 items-center gap-1.5 rounded px-1 hover:bg-sheet-2"
          >
            <Chevron size={14} aria-hidden="true" className="text-ink-3" />
            {title}
            {count !== null && <span className="font-text text-[13px] font-normal text-ink-3">{count}</span>}
          </button>
        </h2>
        <span className="flex gap-2.5 text-[13px]">{acts}</span>
      </div>
      {isOpen && <div className="min-h-0 overflow-y-auto pr-0.5">{children}</div>}
    </section>
  )
}
