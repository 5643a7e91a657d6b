import { useState } from 'react'
import { PEOPLE } from '../../core/words/en/people.ts'
import { say } from '../../core/words/message.ts'
import type { PasswordView } from '../../server/client.ts'
import { Button, buttonClass } from '../../ui/Button.tsx'
import { NewPasswordField } from '../../ui/NewPasswordField.tsx'
import { unwrap } from '../../ui/problem.ts'
import { api } from '../api.ts'
import { Sheet } from '../Sheet.tsx'
import { useAttempt } from '../useAttempt.ts'

/** Setting a password by the link in a message. */
export function PasswordSheet({ view }: { view: PasswordView }) {
  const [password, setPassword] = useState('')
  const { error, isBusy, attempt } = useAttempt()
  if (view.email === null) {
    return (
      <Sheet narrow>
        <h1 className="text-[24px]">{PEOPLE.usedLink}</h1>
        <p className="mt-2 mb-4 text-ink-2">{PEOPLE.usedLinkText}</p>
        <a href="/sign-in" className={buttonClass('press')}>
          {PEOPLE.newLink}
        </a>
      </Sheet>
    )
  }
  const save = () => attempt(() => unwrap(api.password.$post({ json: { token: view.token, password } })), '/my')
  return (
    <Sheet narrow>
      <h1 className="text-[24px]">{PEOPLE.setPassword}</h1>
      <p className="mt-2 text-ink-2">{say(PEOPLE.forEmail, { email: view.email })}</p>
      <form
        method="dialog"
        noValidate
        className="mt-4 grid gap-3.5"
        onSubmit={(event) => {
          event.preventDefault()
          void save()
        }}
      >
        <input type="hidden" autoComplete="username" value={view.email} />
        <NewPasswordField password={password} error={error} onChange={setPassword} />
        <Button kind="press" type="submit" disabled={isBusy}>
          {PEOPLE.savePassword}
        </Button>
      </form>
    </Sheet>
  )
}
