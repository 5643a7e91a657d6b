import type { EmailView } from '../../server/client.ts'
import { Button, buttonClass } from '../../ui/Button.tsx'
import { unwrap } from '../../ui/problem.ts'
import { api } from '../api.ts'
import { Sheet } from '../Sheet.tsx'
import { useAttempt } from '../useAttempt.ts'

/** Confirming a new address by the link that was sent there. */
export function EmailSheet({ view }: { view: EmailView }) {
  const { error, isBusy, attempt } = useAttempt()
  if (view.email === null) {
    return (
      <Sheet narrow>
        <h1 className="text-[24px]">This link has been used or has expired</h1>
        <p className="mt-2 mb-4 text-ink-2">It works once, for 24 hours. Change your email again to get a new link.</p>
        <a href="/my" className={buttonClass('press')}>
          My courses
        </a>
      </Sheet>
    )
  }
  const confirm = async () => {
    if (await attempt(() => unwrap(api.email.$post({ json: { token: view.token } })))) location.assign('/my')
  }
  return (
    <Sheet narrow>
      <h1 className="text-[24px]">Confirm your new email</h1>
      <p className="mt-2 mb-4 text-ink-2">
        From now on you sign in with <b className="font-semibold break-words text-ink">{view.email}</b>, and messages go
        there. Other devices are signed out.
      </p>
      <Button kind="press" disabled={isBusy} onClick={() => void confirm()}>
        Use this email
      </Button>
      {error && (
        <p role="alert" className="mt-3 font-medium text-failed">
          {error.at('/email') ?? error.message}
        </p>
      )}
    </Sheet>
  )
}
