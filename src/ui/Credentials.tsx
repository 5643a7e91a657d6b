import { Button } from './Button.tsx'
import { BOX_INPUT, Field } from './Field.tsx'
import type { ApiError } from './problem.ts'

interface CredentialsProps {
  email: string
  password: string
  error: ApiError | null
  isBusy: boolean
  change: (patch: { email?: string; password?: string }) => void
}

/** Address and password, and the button that signs in. */
export function Credentials({ email, password, error, isBusy, change }: CredentialsProps) {
  const atEmail = error?.at('/email')
  return (
    <div className="grid gap-3.5">
      <Field label="Email" error={atEmail}>
        {(wiring) => (
          <input
            {...wiring}
            type="email"
            autoComplete="username"
            className={BOX_INPUT}
            value={email}
            onChange={(event) => change({ email: event.target.value })}
          />
        )}
      </Field>
      <Field label="Password" error={error && !atEmail ? error.message : null}>
        {(wiring) => (
          <input
            {...wiring}
            type="password"
            autoComplete="current-password"
            className={BOX_INPUT}
            value={password}
            onChange={(event) => change({ password: event.target.value })}
          />
        )}
      </Field>
      <Button kind="press" type="submit" disabled={isBusy}>
        Sign in
      </Button>
    </div>
  )
}
