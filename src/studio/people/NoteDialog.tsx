import { type ReactNode, useState } from 'react'
import type { SendOnce } from '../../ui/useOnce.ts'
import { FormDialog, type Refused } from '../drafting/FormDialog.tsx'
import { TextField } from '../frame/TextField.tsx'

interface NoteDialogProps {
  title: string
  text: string
  action: string
  /** What stands there to begin with. */
  firstNote?: string
  /** What is said of the note, where it may be left out. */
  noteHint?: string
  /** What else is asked. */
  children?: ReactNode | ((refused: Refused) => ReactNode)
  run: (note: string, once: SendOnce) => Promise<unknown>
  onClose: () => void
}

/** Asks why, and does it. */
export function NoteDialog({
  title,
  text,
  action,
  firstNote = '',
  noteHint = 'Kept in the history.',
  children,
  run,
  onClose,
}: NoteDialogProps) {
  const [note, setNote] = useState(firstNote)
  return (
    <FormDialog title={title} text={text} action={action} run={(once) => run(note, once)} onClose={onClose}>
      {(refused) => (
        <>
          {typeof children === 'function' ? children(refused) : children}
          <TextField
            label="Why"
            error={refused.error?.at('/note')}
            hint={noteHint}
            maxLength={300}
            value={note}
            onChange={setNote}
          />
        </>
      )}
    </FormDialog>
  )
}
