import { useMutation } from '@tanstack/react-query'
import { Button } from '../../ui/Button.tsx'
import { unwrap } from '../../ui/problem.ts'
import { api, IN_PLACE } from '../api.ts'
import { SessionSheet } from './SessionSheet.tsx'

/** The token of a link for the creator's new email, where this address is one. */
export function emailTokenIn(path: string): string | null {
  return /^\/studio\/email\/([^/]+)$/.exec(path)?.[1] ?? null
}

/** Confirming the creator's new email by the link that was sent there. */
export function NewEmail({ token }: { token: string }) {
  const { mutate, data, error, isPending } = useMutation({
    mutationFn: () => unwrap(api.session.email.$post({ json: { token } })),
    meta: IN_PLACE,
  })
  return (
    <SessionSheet title={data ? 'Your new email' : 'Confirm your new email'} submit={() => mutate()}>
      {data ? (
        <p>
          From now on you sign in with <b className="font-semibold">{data.email}</b>.
        </p>
      ) : (
        <Button kind="press" type="submit" disabled={isPending}>
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
