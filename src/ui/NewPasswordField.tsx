import { BOX_INPUT, Field } from './Field.tsx'
import type { ApiError } from './problem.ts'

interface NewPasswordFieldProps {
  password: string
  /** What setting it was refused with; said here, as there is no other field. */
  error: ApiError | null
  /** What else follows, after how long it must be. */
  follows?: string
  onChange: (password: string) => void
}

/** Where a password is set by a link, with how long it must be. */
export function NewPasswordField({ password, error, follows = '', onChange }: NewPasswordFieldProps) {
  return (
    <Field
      label="New password"
      error={error && (error.at('/password') ?? error.message)}
      hint={`At least 10 characters. ${follows}`.trim()}
    >
      {(wiring) => (
        <input
          {...wiring}
          type="password"
          autoComplete="new-password"
          className={BOX_INPUT}
          value={password}
          onChange={(event) => onChange(event.target.value)}
        />
      )}
    </Field>
  )
}
