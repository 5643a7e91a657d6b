import { useState } from 'react'
import { useNavigate } from 'react-router'
import { unwrap } from '../../ui/problem.ts'
import { api } from '../api.ts'
import { FormDialog } from '../drafting/FormDialog.tsx'
import { TextField } from '../frame/TextField.tsx'

/** Somebody who bought nothing yet, by name and email. */
export function AddSomeone({ onClose }: { onClose: () => void }) {
  const navigate = useNavigate()
  const [name, setName] = useState('')
  const [email, setEmail] = useState('')
  return (
    <FormDialog
      title="Add someone"
      text="Then give them access. They are told when you do."
      action="Add"
      run={async () => {
        const { id } = await unwrap(api.people.$post({ json: { name, email } }))
        void navigate(`/studio/people/${id}`)
      }}
      onClose={onClose}
    >
      {({ error }) => (
        <>
          <TextField label="Name" error={error?.at('/name')} value={name} onChange={setName} />
          <TextField label="Email" error={error?.at('/email')} type="email" value={email} onChange={setEmail} />
        </>
      )}
    </FormDialog>
  )
}
