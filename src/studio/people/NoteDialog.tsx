import { type ReactNode, useState } from 'react'
import { Button } from '../../ui/Button.tsx'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { useAttempt } from '../../ui/useAttempt.ts'
import { Dialog } from '../drafting/Dialog.tsx'

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
    <Dialog title={title} text={text} onClose={onClose}>
      <form
        noValidate
        onSubmit={(event) => {
          event.preventDefault()
          void go()
        }}
      >
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
        {error && error.problem.errors.length === 0 && (
          <p role="alert" className="mt-2 font-medium text-failed">
            {error.message}
          </p>
        )}
        <div className="mt-5 flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button kind="press" type="submit" disabled={isBusy}>
            {action}
          </Button>
        </div>
      </form>
    </Dialog>
  )
}
