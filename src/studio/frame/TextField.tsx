import type { ComponentProps } from 'react'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'

interface TextFieldProps extends Omit<ComponentProps<'input'>, 'onChange' | 'className'> {
  label: string
  value: string
  onChange: (text: string) => void
  error?: string | undefined
  hint?: string | undefined
}

/** A line of text in its box, with its label, hint and error. */
export function TextField({ label, error, hint, onChange, ...input }: TextFieldProps) {
  return (
    <Field label={label} error={error} hint={hint}>
      {(wiring) => (
        <input {...input} {...wiring} className={BOX_INPUT} onChange={(event) => onChange(event.target.value)} />
      )}
    </Field>
  )
}
