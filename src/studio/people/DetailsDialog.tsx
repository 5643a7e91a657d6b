import { useState } from 'react'
import { Button } from '../../ui/Button.tsx'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { useAttempt } from '../../ui/useAttempt.ts'
import { Dialog } from '../drafting/Dialog.tsx'

/** What is known of a buyer besides what they bought. */
export interface Details {
  name: string
  email: string
}

interface DetailsDialogProps {
  title: string
  text: string
  action: string
  first: Details
  save: (details: Details) => Promise<void>
  onClose: () => void
}

/** A buyer's name and email, new or put right. */
export function DetailsDialog({ title, text, action, first, save, onClose }: DetailsDialogProps) {
  const [name, setName] = useState(first.name)
  const [email, setEmail] = useState(first.email)
  const { error, isBusy, attempt } = useAttempt()
  const go = async () => {
    if (await attempt(() => save({ name, email }))) onClose()
  }
  return (
    <Dialog title={title} text={text} onClose={onClose}>
      <form
        noValidate
        className="grid gap-3"
        onSubmit={(event) => {
          event.preventDefault()
          void go()
        }}
      >
        <Field label="Name" error={error?.at('/name')}>
          {(wiring) => (
            <input {...wiring} className={BOX_INPUT} value={name} onChange={(event) => setName(event.target.value)} />
          )}
        </Field>
        <Field label="Email" error={error?.at('/email') ?? (error?.problem.errors.length === 0 ? error.message : null)}>
          {(wiring) => (
            <input
              {...wiring}
              type="email"
              className={BOX_INPUT}
              value={email}
              onChange={(event) => setEmail(event.target.value)}
            />
          )}
        </Field>
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
