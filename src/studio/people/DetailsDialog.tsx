import { useState } from 'react'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { useAttempt } from '../../ui/useAttempt.ts'
import { FormDialog } from '../drafting/FormDialog.tsx'

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
    <FormDialog title={title} text={text} action={action} error={error} isBusy={isBusy} act={go} onClose={onClose}>
      <Field label="Name" error={error?.at('/name')}>
        {(wiring) => (
          <input {...wiring} className={BOX_INPUT} value={name} onChange={(event) => setName(event.target.value)} />
        )}
      </Field>
      <Field label="Email" error={error?.at('/email')}>
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
    </FormDialog>
  )
}
