import { useEffect, useRef } from 'react'
import { PAYING } from '../../core/words/en/paying.ts'
import { Button } from '../../ui/Button.tsx'
import { listenTo } from './GatewayFields.ts'

interface ConfirmDialogProps {
  url: string
  done: () => void
  leave: () => void
}

/** The bank's question, in a frame of the gateway. Closing it is walking away. */
export function ConfirmDialog({ url, done, leave }: ConfirmDialogProps) {
  const dialog = useRef<HTMLDialogElement>(null)
  const frame = useRef<HTMLIFrameElement>(null)
  const calls = useRef({ done, leave })
  calls.current = { done, leave }

  useEffect(() => {
    dialog.current?.showModal()
    if (!frame.current) return
    return listenTo(frame.current, (message) => {
      if (message.type === 'fields:confirmed') calls.current.done()
      if (message.type === 'fields:left') calls.current.leave()
    })
  }, [])

  return (
    <dialog
      ref={dialog}
      aria-label={PAYING.confirm}
      onCancel={leave}
      className="m-auto w-[440px] max-w-[calc(100%-24px)] rounded-lg border border-line-2 bg-sheet p-0 backdrop:bg-ink/40"
    >
      <iframe ref={frame} src={url} title={PAYING.confirmation} className="block h-[250px] w-full" />
      <p className="flex items-center justify-between gap-3 border-t border-line px-4 py-2.5 text-[13px] text-ink-2">
        {PAYING.untilApproved}
        <Button kind="link" onClick={leave}>
          {PAYING.close}
        </Button>
      </p>
    </dialog>
  )
}
