import { Dialog as Primitive } from 'radix-ui'
import type { ReactNode } from 'react'

interface DialogProps {
  title: string
  text?: string
  onClose: () => void
  children: ReactNode
  wide?: boolean
}

/** A question over the page. */
export function Dialog({ title, text, onClose, children, wide = false }: DialogProps) {
  return (
    <Primitive.Root open onOpenChange={(open) => !open && onClose()}>
      <Primitive.Portal>
        <Primitive.Overlay className="fixed inset-0 z-40 bg-ink/35" />
        <Primitive.Content
          aria-describedby={undefined}
          className={`fixed top-1/2 left-1/2 z-50 max-h-[calc(100vh-40px)] -translate-x-1/2 -translate-y-1/2 overflow-auto rounded-[10px] border border-line-2 bg-sheet p-6 shadow-[0_24px_60px_-30px_rgb(26_35_28/.6)] ${wide ? 'w-[720px]' : 'w-[480px]'} max-w-[calc(100%-24px)]`}
        >
          <Primitive.Title className="text-[20px]">{title}</Primitive.Title>
          {text && <p className="mt-1.5 text-ink-2">{text}</p>}
          <div className="mt-4">{children}</div>
        </Primitive.Content>
      </Primitive.Portal>
    </Primitive.Root>
  )
}
