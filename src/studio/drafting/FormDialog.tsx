import { useMutation } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { Button } from '../../ui/Button.tsx'
import type { ApiError } from '../../ui/problem.ts'
import { type SendOnce, useOnce } from '../../ui/useOnce.ts'
import { IN_PLACE } from '../api.ts'
import { Dialog } from './Dialog.tsx'

/** What the server refused; `forget` as soon as it is being put right. */
export interface Refused {
  error: ApiError | null
  forget: () => void
}

interface FormDialogProps {
  title: string
  text?: string | undefined
  /** What its button does. */
  action: string
  /** Whether all is there that it needs; what is not is said at its field. */
  check?: () => boolean
  /** Does it; sent by `once`, it is done once, however often it is pressed. The dialog closes when it is done. */
  run: (once: SendOnce) => Promise<unknown>
  /** What is read anew after it, by the names of queries; all, where nothing is said. */
  invalidates?: (readonly string[])[]
  onClose: () => void
  wide?: boolean
  /** The fields, told what the server refused: what belongs to one is said there, anything else below. */
  children: ReactNode | ((refused: Refused) => ReactNode)
}

/** A few fields over the page, and the button that does something with them. */
export function FormDialog(props: FormDialogProps) {
  const { title, text, action, check = () => true, run, invalidates, onClose, wide = false, children } = props
  const once = useOnce()
  const { mutate, error, isPending, reset } = useMutation({
    mutationFn: () => run(once),
    onSuccess: onClose,
    meta: { ...IN_PLACE, ...(invalidates && { invalidates }) },
  })
  return (
    <Dialog title={title} {...(text && { text })} onClose={onClose} wide={wide}>
      <form
        noValidate
        className="grid gap-3"
        onSubmit={(event) => {
          event.preventDefault()
          if (check()) mutate()
        }}
      >
        {typeof children === 'function' ? children({ error, forget: reset }) : children}
        {error && error.problem.errors.length === 0 && (
          <p role="alert" className="font-medium text-failed">
            {error.message}
          </p>
        )}
        <div className="mt-2 flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button kind="press" type="submit" disabled={isPending}>
            {action}
          </Button>
        </div>
      </form>
    </Dialog>
  )
}
