import { useState } from 'react'
import { Button } from '../../ui/Button.tsx'
import { unwrap } from '../../ui/problem.ts'
import { useAttempt } from '../../ui/useAttempt.ts'
import { api } from '../api.ts'
import { SessionSheet } from './SessionSheet.tsx'

/** The token of a link for the creator's new email, where this address is one. */
export function emailTokenIn(path: string): string | null {
  return /^\/studio\/email\/([^/]+)$/.exec(path)?.[1] ?? null
}

/** Confirming the creator's new email by the link that was sent there. */
export function NewEmail({ token }: { token: string }) {
  const [email, setEmail] = useState<string | null>(null)
  const { error, isBusy, attempt } = useAttempt()
  const confirm = () =>
    attempt(async () => setEmail((await unwrap(api.session.email.$post({ json: { token } }))).email))
  return (
    <SessionSheet title={email ? 'Your new email' : 'Confirm your new email'} submit={() => void confirm()}>
      {email ? (
        <p>
          From now on you sign in with <b className="font-semibold">{email}</b>.
        </p>
      ) : (
        <Button kind="press" type="submit" disabled={isBusy}>
          Use this email
        </Button>
      )}
      {error && (
        <p role="alert" className="mt-3 font-medium text-failed">
          {error.message}
        </p>
      )}
      <p className="mt-4 text-[14px]">
        <a className="link" href="/studio">
          To the studio
        </a>
      </p>
    </SessionSheet>
  )
}
