import type { ReactNode } from 'react'
import { Acorn } from '../../ui/Acorn.tsx'

/** The sheet on which everything before the studio stands: sign-in, a new password. */
export function SessionSheet({ title, submit, children }: { title: string; submit: () => void; children: ReactNode }) {
  return (
    <main className="grid min-h-screen place-items-center p-4">
      <form
        noValidate
        className="w-[380px] max-w-full rounded-[10px] border border-line bg-sheet p-7"
        onSubmit={(event) => {
          event.preventDefault()
          submit()
        }}
      >
        <p className="display flex items-center gap-2 text-[16px] font-semibold">
          <Acorn />
          Young Acorn
        </p>
        <h1 className="mt-4 mb-4 text-[25px]">{title}</h1>
        {children}
      </form>
    </main>
  )
}
