import type { ReactNode } from 'react'
import { Button } from '../../ui/Button.tsx'
import type { ApiError } from '../../ui/problem.ts'
import { Dialog } from './Dialog.tsx'

interface FormDialogProps {
  title: string
  text?: string | undefined
  /** What its button does. */
  action: string
  /** What the server said. What belongs to a field is said there, by the fields; anything else here. */
  error: ApiError | null
  isBusy: boolean
  act: () => void
  onClose: () => void
  wide?: boolean
  /** The fields. */
  children: ReactNode
}

/** A few fields over the page, and the button that does something with them. */
export function FormDialog(props: FormDialogProps) {
  const { title, text, action, error, isBusy, act, onClose, wide = false, children } = props
  return (
    <Dialog title={title} {...(text && { text })} onClose={onClose} wide={wide}>
      <form
        noValidate
        className="grid gap-3"
        onSubmit={(event) => {
          event.preventDefault()
          act()
        }}
      >
        {children}
        {error && error.problem.errors.length === 0 && (
          <p role="alert" className="font-medium text-failed">
            {error.message}
          </p>
        )}
        <div className="mt-2 flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button kind="press" type="submit" disabled={isBusy}>
            {action}
          </Button>
        </div>
      </form>
    </Dialog>
  )
}
