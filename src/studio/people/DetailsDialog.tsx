import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { IN_PLACE } from '../api.ts'
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
  save: (details: Details) => Promise<unknown>
  onClose: () => void
}

/** A buyer's name and email, new or put right. */
export function DetailsDialog({ title, text, action, first, save, onClose }: DetailsDialogProps) {
  const [name, setName] = useState(first.name)
  const [email, setEmail] = useState(first.email)
  const { mutate, error, isPending } = useMutation({
    mutationFn: () => save({ name, email }),
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
      <TextField label="Name" error={error?.at('/name')} value={name} onChange={setName} />
      <TextField label="Email" error={error?.at('/email')} type="email" value={email} onChange={setEmail} />
    </FormDialog>
  )
}
