import { useState } from 'react'
import { useAttempt } from '../../ui/useAttempt.ts'
import { FormDialog } from '../drafting/FormDialog.tsx'
import { TextField } from '../frame/TextField.tsx'

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
      <TextField label="Name" error={error?.at('/name')} value={name} onChange={setName} />
      <TextField label="Email" error={error?.at('/email')} type="email" value={email} onChange={setEmail} />
    </FormDialog>
  )
}
