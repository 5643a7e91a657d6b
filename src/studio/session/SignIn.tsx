import { useState } from 'react'
import { Button } from '../../ui/Button.tsx'
import { Credentials } from '../../ui/Credentials.tsx'
import { unwrap } from '../../ui/problem.ts'
import { useAttempt } from '../../ui/useAttempt.ts'
import { api, queryClient } from '../api.ts'
import { SessionSheet } from './SessionSheet.tsx'

/** The creator's sign-in, and the way to a new password. */
export function SignIn() {
  const [form, setForm] = useState({ email: '', password: '' })
  const [isSent, setSent] = useState(false)
  const { error, isBusy, attempt } = useAttempt()
  const signIn = async () => {
    if (await attempt(() => unwrap(api.session['sign-in'].$post({ json: form })))) await queryClient.resetQueries()
  }
  const recover = async () => {
    if (await attempt(() => unwrap(api.session.recover.$post({ json: { email: form.email } })))) setSent(true)
  }
  return (
    <SessionSheet title="Sign in" submit={() => void signIn()}>
      <Credentials {...form} error={error} isBusy={isBusy} change={(patch) => setForm({ ...form, ...patch })} />
      <p className="mt-5 border-t border-line pt-4 text-[14px] text-ink-2" role="status">
        {isSent ? (
          'If this is the email of the school’s owner, a link for a new password is on its way to it.'
        ) : (
          <>
            Forgot your password? Write your email above and{' '}
            <Button kind="link" onClick={() => void recover()}>
              have a link sent
            </Button>
            .
          </>
        )}
      </p>
    </SessionSheet>
  )
}
