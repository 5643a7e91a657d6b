import { clockMoment } from '../../core/calendar/clock.ts'
import { instantOf } from '../days/instantOf.ts'
import { DateField, TakeOut, TimeField } from './InlineFields.tsx'
import { Add } from './TermsBench.tsx'

interface MomentFieldProps {
  which: 'from' | 'until'
  /** Of whose beginning or end it is: "Sale". */
  of: string
  /** An RFC 3339 instant. */
  instant: string
  timeZone: string
  /** Why it does not fit, in words. */
  problem?: string | null
  /** Null: it is taken out. */
  onChange: (instant: string | null) => void
}

/** When something begins or ends, inside its sentence: a whole day of the school's, or a day with a time. */
export function MomentField({ which, of, instant, timeZone, problem = null, onChange }: MomentFieldProps) {
  const { day, time } = clockMoment(instant, timeZone, which)
  const at = (on: string, clock: string | null) => onChange(instantOf(on, clock, timeZone, which))
  const label = which === 'from' ? 'from' : time === null ? 'until the end of' : 'until'
  return (
    <>
      {' '}
      {label} <DateField label={`${of} ${which}`} value={day} problem={problem} onChange={(on) => at(on, time)} />
      {time !== null && (
        <>
          {', '}
          <TimeField label={`${of} ${which}, time`} value={time} onChange={(clock) => at(day, clock)} />
          <TakeOut label="Remove the time" onClick={() => at(day, null)} />
        </>
      )}
      <TakeOut label={`Remove “${label}”`} onClick={() => onChange(null)} />
    </>
  )
}

/** Gives a moment that is a whole day a time of it. Nothing where it has one, or there is no moment. */
export function AddTime({
  which,
  instant,
  timeZone,
  onChange,
}: Omit<MomentFieldProps, 'of' | 'instant'> & { instant: string | null }) {
  if (instant === null) return null
  const { day, time } = clockMoment(instant, timeZone, which)
  if (time !== null) return null
  return (
    <Add onClick={() => onChange(instantOf(day, '12:00', timeZone, which))}>
      {which === 'from' ? 'Add a start time' : 'Add an end time'}
    </Add>
  )
}
