import { type ReactNode, useState } from 'react'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { useAttempt } from '../../ui/useAttempt.ts'
import { FormDialog } from '../drafting/FormDialog.tsx'

interface NoteDialogProps {
  title: string
  text: string
  action: string
  /** What stands there to begin with. */
  firstNote?: string
  children?: ReactNode
  run: (note: string) => Promise<void>
  onClose: () => void
}

/** Asks why, and does it. */
export function NoteDialog({ title, text, action, firstNote = '', children, run, onClose }: NoteDialogProps) {
  const [note, setNote] = useState(firstNote)
  const { error, isBusy, attempt } = useAttempt()
  const go = async () => {
    if (await attempt(() => run(note))) onClose()
  }
  return (
    <FormDialog title={title} text={text} action={action} error={error} isBusy={isBusy} act={go} onClose={onClose}>
      {children}
      <Field label="Why" error={error?.at('/note') ?? error?.at('/courseId')} hint="Kept in the history.">
        {(wiring) => (
          <input
            {...wiring}
            className={BOX_INPUT}
            maxLength={300}
            value={note}
            onChange={(event) => setNote(event.target.value)}
          />
        )}
      </Field>
    </FormDialog>
  )
}
