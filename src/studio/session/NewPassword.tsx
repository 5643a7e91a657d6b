import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { Button } from '../../ui/Button.tsx'
import { NewPasswordField } from '../../ui/NewPasswordField.tsx'
import { unwrap } from '../../ui/problem.ts'
import { api, IN_PLACE } from '../api.ts'
import { SessionSheet } from './SessionSheet.tsx'

/** The token of a link for a new password, where this address is one. */
export function passwordTokenIn(path: string): string | null {
  return /^\/studio\/password\/([^/]+)$/.exec(path)?.[1] ?? null
}

/** The creator's new password, by the link in a message or from the command on the machine. */
export function NewPassword({ token }: { token: string }) {
  const [password, setPassword] = useState('')
  const save = useMutation({
    mutationFn: () => unwrap(api.session.password.$post({ json: { token, password } })),
    onSuccess: () => location.assign('/studio'),
    meta: IN_PLACE,
  })
  return (
    <SessionSheet title="Set a new password" submit={() => save.mutate()}>
      <NewPasswordField
        password={password}
        error={save.error}
        follows="Every other device is signed out."
        onChange={setPassword}
      />
      <Button kind="press" type="submit" className="mt-4" disabled={save.isPending}>
        Save and open the studio
      </Button>
      <p className="mt-4 text-[14px]">
        <a className="link" href="/studio">
          Sign in instead
        </a>
      </p>
    </SessionSheet>
  )
}
