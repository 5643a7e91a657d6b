import { useState } from 'react'
import type { SignInView } from '../../server/client.ts'
import { Button } from '../../ui/Button.tsx'
import { Credentials } from '../../ui/Credentials.tsx'
import { unwrap } from '../../ui/problem.ts'
import { api } from '../api.ts'
import { Sheet } from '../Sheet.tsx'
import { useAttempt } from '../useAttempt.ts'

/** A buyer's sign-in, and the way to a new password. */
export function SignInSheet({ view }: { view: SignInView }) {
  const [form, setForm] = useState({ email: view.email, password: '' })
  const [isSent, setSent] = useState(false)
  const { error, isBusy, attempt } = useAttempt()
  const signIn = async () => {
    if (await attempt(() => unwrap(api['sign-in'].$post({ json: form })))) location.assign(view.goTo)
  }
  const resend = async () => {
    if (await attempt(() => unwrap(api.password.resend.$post({ json: { email: form.email } })))) setSent(true)
  }
  return (
    <Sheet narrow>
      <h1 className="mb-4 text-[24px]">Sign in to your courses</h1>
      <form
        method="dialog"
        noValidate
        onSubmit={(event) => {
          event.preventDefault()
          void signIn()
        }}
      >
        <Credentials {...form} error={error} isBusy={isBusy} change={(patch) => setForm({ ...form, ...patch })} />
      </form>
      <p className="mt-5 border-t border-line pt-4 text-[14px] text-ink-2" role="status">
        {isSent ? (
          'If we know this email, a link to set a password is on its way.'
        ) : (
          <>
            No password yet, or forgotten? Write your email above and{' '}
            <Button kind="link" onClick={resend}>
              have a link sent
            </Button>
            .
          </>
        )}
      </p>
    </Sheet>
  )
}
