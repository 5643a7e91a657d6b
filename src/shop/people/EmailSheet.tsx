import { PEOPLE } from '../../core/words/en/people.ts'
import type { EmailView } from '../../server/client.ts'
import { Button, buttonClass } from '../../ui/Button.tsx'
import { unwrap } from '../../ui/problem.ts'
import { sayWith } from '../../ui/sayWith.ts'
import { api } from '../api.ts'
import { Sheet } from '../Sheet.tsx'
import { useAttempt } from '../useAttempt.ts'

/** Confirming a new address by the link that was sent there. */
export function EmailSheet({ view }: { view: EmailView }) {
  const { error, isBusy, attempt } = useAttempt()
  if (view.email === null) {
    return (
      <Sheet narrow>
        <h1 className="text-[24px]">{PEOPLE.usedLink}</h1>
        <p className="mt-2 mb-4 text-ink-2">{PEOPLE.usedEmailText}</p>
        <a href="/my" className={buttonClass('press')}>
          {PEOPLE.myCourses}
        </a>
      </Sheet>
    )
  }
  const confirm = () => attempt(() => unwrap(api.email.$post({ json: { token: view.token } })), '/my')
  return (
    <Sheet narrow>
      <h1 className="text-[24px]">{PEOPLE.confirmEmail}</h1>
      <p className="mt-2 mb-4 text-ink-2">
        {sayWith(PEOPLE.confirmText, {
          email: <b className="font-semibold break-words text-ink">{view.email}</b>,
        })}
      </p>
      <Button kind="press" disabled={isBusy} onClick={() => void confirm()}>
        {PEOPLE.useEmail}
      </Button>
      {error && (
        <p role="alert" className="mt-3 font-medium text-failed">
          {error.at('/email') ?? error.message}
        </p>
      )}
    </Sheet>
  )
}
