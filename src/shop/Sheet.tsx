import type { ReactNode } from 'react'

/** The sheet on which most pages of the shop are written. */
export function Sheet({ children, narrow = false }: { children: ReactNode; narrow?: boolean }) {
  return (
    <main
      className={`mx-auto max-w-[calc(100%-32px)] rounded-lg border border-line bg-sheet px-5 py-6 sm:px-8 sm:py-8 ${narrow ? 'w-[480px]' : 'w-[1080px]'}`}
    >
      {children}
    </main>
  )
}
