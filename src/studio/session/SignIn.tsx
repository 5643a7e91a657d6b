import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { Button } from '../../ui/Button.tsx'
import { Credentials } from '../../ui/Credentials.tsx'
import { unwrap } from '../../ui/problem.ts'
import { api, IN_PLACE, queryClient } from '../api.ts'
import { SessionSheet } from './SessionSheet.tsx'

/** The creator's sign-in, and the way to a new password. */
export function SignIn() {
  const [form, setForm] = useState({ email: '', password: '' })
  const signIn = useMutation({
    mutationFn: () => unwrap(api.session['sign-in'].$post({ json: form })),
    onSuccess: () => queryClient.resetQueries(),
    meta: IN_PLACE,
  })
  const recover = useMutation({
    mutationFn: () => unwrap(api.session.recover.$post({ json: { email: form.email } })),
    meta: IN_PLACE,
  })
  // Of the two, what was done last is what is said.
  const signInNow = () => {
    recover.reset()
    signIn.mutate()
  }
  const recoverNow = () => {
    signIn.reset()
    recover.mutate()
  }
  return (
    <SessionSheet title="Sign in" submit={signInNow}>
      <Credentials
        {...form}
        error={signIn.error ?? recover.error}
        isBusy={signIn.isPending}
        change={(patch) => setForm({ ...form, ...patch })}
      />
      <p className="mt-5 border-t border-line pt-4 text-[14px] text-ink-2" role="status">
        {recover.isSuccess ? (
          'If this is the email of the school’s owner, a link for a new password is on its way to it.'
        ) : (
          <>
            Forgot your password? Write your email above and{' '}
            <Button kind="link" onClick={recoverNow}>
              have a link sent
            </Button>
            .
          </>
        )}
      </p>
    </SessionSheet>
  )
}
