import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { DayField } from './DayField.tsx'

interface LabelledDayProps {
  label: string
  error: string | undefined
  hint?: string
  language: string
  /** The day that it is, from which a day without a year is reckoned. */
  today: string
  value: string
  onChange: (day: string) => void
}

/** A day in its box, with its label, hint and error. */
export function LabelledDay({ label, error, hint, ...day }: LabelledDayProps) {
  return (
    <Field label={label} error={error} hint={hint}>
      {(wiring) => <DayField wiring={wiring} className={BOX_INPUT} {...day} />}
    </Field>
  )
}
