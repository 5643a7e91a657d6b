import { addDays } from '../../core/calendar/day.ts'
import { DateField, Pick } from './InlineFields.tsx'

interface OpeningFieldProps {
  /** The day on which the course opens for everybody who has it; null: with the purchase. */
  opens: string | null
  today: string
  onChange: (opens: string | null) => void
}

/** When a course opens, as a sentence. */
export function OpeningField({ opens, today, onChange }: OpeningFieldProps) {
  return (
    <>
      <p id="course-opens" className="pt-[5px] text-[16.5px] leading-[2.1]">
        Opens{' '}
        <Pick
          label="When the course opens"
          value={opens === null ? 'purchase' : 'date'}
          options={[
            ['purchase', 'at purchase'],
            ['date', 'on'],
          ]}
          onChange={(when) => onChange(when === 'purchase' ? null : addDays(today, 14))}
        />
        {opens !== null && (
          <>
            {' '}
            <DateField label="The course opens on" value={opens} onChange={onChange} />
          </>
        )}
        .
      </p>
      {opens !== null && (
        <p className="max-w-[62ch] text-[13.5px] text-ink-2">
          Nobody gets in before that day, whatever they bought. An offer or a bundle can open it later, never earlier.
          You can sell it already; buyers see the date.
        </p>
      )}
    </>
  )
}
