import { useMutation } from '@tanstack/react-query'
import { type ReactNode, useState } from 'react'
import type { ApiError } from '../../ui/problem.ts'
import { type SendOnce, useOnce } from '../../ui/useOnce.ts'
import { IN_PLACE } from '../api.ts'
import { FormDialog } from '../drafting/FormDialog.tsx'
import { TextField } from '../frame/TextField.tsx'

/** What the server refused; `forget` as soon as it is being put right. */
export interface Refused {
  error: ApiError | null
  forget: () => void
}

interface NoteDialogProps {
  title: string
  text: string
  action: string
  /** What stands there to begin with. */
  firstNote?: string
  /** What else is asked, told what the server refused, to say it at its field. */
  children?: ReactNode | ((refused: Refused) => ReactNode)
  /** Does it; sent by `once`, it is done once, however often it is pressed. */
  run: (note: string, once: SendOnce) => Promise<unknown>
  onClose: () => void
}

/** Asks why, and does it. */
export function NoteDialog({ title, text, action, firstNote = '', children, run, onClose }: NoteDialogProps) {
  const [note, setNote] = useState(firstNote)
  const once = useOnce()
  const { mutate, error, isPending, reset } = useMutation({
    mutationFn: () => run(note, once),
    onSuccess: onClose,
    meta: IN_PLACE,
  })
  return (
    <FormDialog
      title={title}
      text={text}
      action={action}
      error={error}
      isBusy={isPending}
      act={mutate}
      onClose={onClose}
    >
      {typeof children === 'function' ? children({ error, forget: reset }) : children}
      <TextField
        label="Why"
        error={error?.at('/note')}
        hint="Kept in the history."
        maxLength={300}
        value={note}
        onChange={setNote}
      />
    </FormDialog>
  )
}
