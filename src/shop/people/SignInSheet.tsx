import { useState } from 'react'
import { formatTitles } from '../../core/sentence/words.ts'
import { PEOPLE } from '../../core/words/en/people.ts'
import { say } from '../../core/words/message.ts'
import type { SignInView } from '../../server/client.ts'
import { Button } from '../../ui/Button.tsx'
import { Credentials } from '../../ui/Credentials.tsx'
import { unwrap } from '../../ui/problem.ts'
import { sayWith } from '../../ui/sayWith.ts'
import { api } from '../api.ts'
import { Sheet } from '../Sheet.tsx'
import { useAttempt } from '../useAttempt.ts'

/** A buyer's sign-in, and the way to a new password. */
export function SignInSheet({ view }: { view: SignInView }) {
  const [form, setForm] = useState({ email: view.email, password: '' })
  const [isSent, setSent] = useState(false)
  const { error, isBusy, attempt } = useAttempt()
  const signIn = () => attempt(() => unwrap(api['sign-in'].$post({ json: form })), view.goTo)
  const resend = async () => {
    if (await attempt(() => unwrap(api.password.resend.$post({ json: { email: form.email } })))) setSent(true)
  }
  return (
    <Sheet narrow>
      <h1 className="mb-4 text-[24px]">{PEOPLE.signIn}</h1>
      {view.titles.length > 0 && (
        <p className="mb-4 text-ink-2">{say(PEOPLE.boughtHere, { titles: formatTitles(view.titles) })}</p>
      )}
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
        {isSent
          ? PEOPLE.sent
          : sayWith(PEOPLE.forgotten, {
              send: (
                <Button kind="link" onClick={resend}>
                  {PEOPLE.send}
                </Button>
              ),
            })}
      </p>
    </Sheet>
  )
}
