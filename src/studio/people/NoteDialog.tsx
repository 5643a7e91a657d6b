import { type ReactNode, useState } from 'react'
import { useAttempt } from '../../ui/useAttempt.ts'
import { FormDialog } from '../drafting/FormDialog.tsx'
import { TextField } from '../frame/TextField.tsx'

/** What the server refused; `forget` as soon as it is being put right. */
export type Refused = Pick<ReturnType<typeof useAttempt>, 'error' | 'forget'>

interface NoteDialogProps {
  title: string
  text: string
  action: string
  /** What stands there to begin with. */
  firstNote?: string
  /** What else is asked, told what the server refused, to say it at its field. */
  children?: ReactNode | ((refused: Refused) => ReactNode)
  run: (note: string) => Promise<void>
  onClose: () => void
}

/** Asks why, and does it. */
export function NoteDialog({ title, text, action, firstNote = '', children, run, onClose }: NoteDialogProps) {
  const [note, setNote] = useState(firstNote)
  const { error, isBusy, attempt, forget } = useAttempt()
  const go = async () => {
    if (await attempt(() => run(note))) onClose()
  }
  return (
    <FormDialog title={title} text={text} action={action} error={error} isBusy={isBusy} act={go} onClose={onClose}>
      {typeof children === 'function' ? children({ error, forget }) : children}
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
