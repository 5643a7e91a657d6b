import type { ReactNode } from 'react'

interface WorkProps {
  bench: ReactNode
  mirror: ReactNode
}

interface AroundProps {
  shelf: ReactNode
  shelfLabel: string
  /** Widths of shelf and mirror, as Tailwind column classes. */
  columns?: string
  /** The bench and the mirror, as {@link Work}. */
  children: ReactNode
}

/** The shelf, and room for what is worked on beside it. It stays as it is while that changes. */
export function Around({
  shelf,
  shelfLabel,
  columns = 'lg:grid-cols-[252px_minmax(0,1fr)_386px]',
  children,
}: AroundProps) {
  return (
    <main className={`grid min-h-0 grid-cols-1 gap-2.5 px-2.5 pb-2.5 ${columns}`}>
      <section
        aria-label={shelfLabel}
        tabIndex={-1}
        className="min-h-0 overflow-y-auto pt-1 pr-0.5 pl-1 max-lg:max-h-[300px] max-lg:min-w-0"
      >
        {shelf}
      </section>
      {children}
    </main>
  )
}

/** The bench and the mirror: the one thing being worked on, and what follows from it. */
export function Work({ bench, mirror }: WorkProps) {
  return (
    <>
      <section
        id="bench"
        aria-label="Bench"
        tabIndex={-1}
        className="min-h-0 overflow-y-auto rounded-[10px] border border-line bg-sheet px-6 pt-[18px] pb-8 outline-none max-h-full self-start max-lg:max-h-none max-lg:min-w-0 max-lg:overflow-visible max-sm:px-3"
      >
        {bench}
      </section>
      <section
        aria-label="Preview"
        className="min-h-0 overflow-y-auto pt-3 pr-1 pl-3 max-lg:min-w-0 max-lg:overflow-visible"
      >
        {mirror}
      </section>
    </>
  )
}

/** The three places: what there is, the one thing being worked on, what follows from it. */
export function Places({ bench, mirror, ...around }: WorkProps & Omit<AroundProps, 'children'>) {
  return (
    <Around {...around}>
      <Work bench={bench} mirror={mirror} />
    </Around>
  )
}

/** A labelled part of the mirror. */
export function PreviewSection({ label, children }: { label: string; children: ReactNode }) {
  return (
    <section className="mb-5">
      <h2 className="mb-1.5 font-text text-[12px] font-semibold tracking-normal text-ink-3">{label}</h2>
      {children}
    </section>
  )
}

/** A labelled part of the bench. */
export function Section({ title, id, children }: { title: string; id?: string; children: ReactNode }) {
  return (
    <section id={id} className="mt-4 grid gap-x-3 border-t border-line pt-3.5 xl:grid-cols-[108px_minmax(0,1fr)]">
      <h2 className="pt-[5px] pb-1 text-[14.5px]">{title}</h2>
      <div className="min-w-0">{children}</div>
    </section>
  )
}
