import { X } from 'lucide-react'
import { useEffect, useId, useRef, useState } from 'react'
import { LONGEST_SPAN, type Span, type SpanUnit } from '../../core/calendar/day.ts'
import { DayField } from '../days/DayField.tsx'
import { useReportUnread } from '../drafting/UnreadFields.tsx'
import { Select } from '../frame/Select.tsx'
import { useMoney, useSession, useStudioToday } from '../session/session.ts'
import { InlineNote, WITH_NOTE } from './InlineNote.tsx'

const SHELL =
  'marked inline-flex items-baseline leading-[1.35] focus-within:bg-acorn-soft focus-within:outline-2 focus-within:outline-offset-2 focus-within:outline-leaf'

interface CountFieldProps {
  label: string
  value: number
  least: number
  most: number
  onChange: (value: number) => void
}

/** A whole number inside its sentence. What is out of range stays as it was typed, with the range below it. */
export function CountField({ label, value, least, most, onChange }: CountFieldProps) {
  const [text, setText] = useState(String(value))
  const known = useRef(value)
  const noteId = useId()
  useEffect(() => {
    if (value === known.current) return
    known.current = value
    setText(String(value))
  }, [value])
  const isRight = (typed: string) => /^\d+$/.test(typed.trim()) && Number(typed) >= least && Number(typed) <= most
  const why = isRight(text) ? null : `Write a whole number from ${least} to ${most}.`
  useReportUnread(label, why)
  const type = (typed: string) => {
    setText(typed)
    if (!isRight(typed)) return
    known.current = Number(typed)
    onChange(Number(typed))
  }
  return (
    <span className={WITH_NOTE}>
      <span className={SHELL}>
        <input
          aria-label={`${label}, ${least} to ${most}`}
          aria-invalid={why !== null}
          aria-describedby={noteId}
          inputMode="numeric"
          className="fitted min-w-[1ch] bg-transparent font-semibold outline-none"
          value={text}
          maxLength={8}
          onChange={(event) => type(event.target.value)}
        />
      </span>
      <InlineNote id={noteId} error={why} />
    </span>
  )
}

interface PickProps<T extends string> {
  label: string
  value: T
  options: readonly (readonly [T, string])[]
  onChange: (value: T) => void
}

/** A choice inside its sentence. */
export function Pick<T extends string>({ label, value, options, onChange }: PickProps<T>) {
  return (
    <span className={SHELL}>
      <Select
        label={label}
        value={value}
        options={options}
        onChange={onChange}
        isInline
        className="bg-transparent font-semibold outline-none"
      />
    </span>
  )
}

const UNITS: readonly SpanUnit[] = ['day', 'week', 'month', 'year']

/** A length of time inside its sentence: "2 weeks". */
export function SpanField({ label, span, onChange }: { label: string; span: Span; onChange: (span: Span) => void }) {
  const options = UNITS.map((unit) => [unit, span.count === 1 ? unit : `${unit}s`] as const)
  return (
    <>
      <CountField
        label={`${label}, how many`}
        value={span.count}
        least={1}
        most={LONGEST_SPAN[span.unit]}
        onChange={(count) => onChange({ ...span, count })}
      />{' '}
      <Pick
        label={`${label}, unit`}
        value={span.unit}
        options={options}
        onChange={(unit) => onChange({ unit, count: Math.min(span.count, LONGEST_SPAN[unit]) })}
      />
    </>
  )
}

interface DateFieldProps {
  label: string
  value: string
  /** Why the day does not fit, in words. */
  problem?: string | null
  onChange: (value: string) => void
}

/** A day inside its sentence, as the school writes days. One that does not fit is kept, with the reason below it. */
export function DateField({ label, value, problem = null, onChange }: DateFieldProps) {
  const { school } = useSession()
  const today = useStudioToday()
  const [unread, setUnread] = useState<string | null>(null)
  const noteId = useId()
  useReportUnread(label, unread)
  const why = unread ?? problem
  return (
    <span className={WITH_NOTE}>
      <DayField
        value={value}
        language={school.language}
        today={today}
        className={`${SHELL} font-semibold`}
        wiring={{ 'aria-label': label, 'aria-invalid': why !== null, 'aria-describedby': noteId }}
        onUnread={setUnread}
        onChange={onChange}
      />
      <InlineNote id={noteId} error={why} />
    </span>
  )
}

/** A time of day inside its sentence, "18:00". */
export function TimeField({
  label,
  value,
  onChange,
}: {
  label: string
  value: string
  onChange: (value: string) => void
}) {
  const [text, setText] = useState(value)
  const known = useRef(value)
  const noteId = useId()
  useEffect(() => {
    if (value === known.current) return
    known.current = value
    setText(value)
  }, [value])
  const why = readTime(text) === null ? 'Write a time from 00:00 to 23:59.' : null
  useReportUnread(label, why)
  return (
    <span className={WITH_NOTE}>
      <span className={SHELL}>
        <input
          aria-label={label}
          aria-invalid={why !== null}
          aria-describedby={noteId}
          maxLength={5}
          className="fitted min-w-[4ch] bg-transparent font-semibold outline-none"
          value={text}
          onChange={(event) => {
            setText(event.target.value)
            const time = readTime(event.target.value)
            if (time === null) return
            known.current = time
            onChange(time)
          }}
        />
      </span>
      <InlineNote id={noteId} error={why} />
    </span>
  )
}

/** "9", "9:30" and "18.00" as `HH:MM`; null where it is no time of day. */
function readTime(text: string): string | null {
  const [, hour, minute = '00'] = /^(\d{1,2})(?:[:.](\d{2}))?$/.exec(text.trim()) ?? []
  if (!hour || Number(hour) > 23 || Number(minute) > 59) return null
  return `${hour.padStart(2, '0')}:${minute}`
}

interface InlineTextProps {
  label: string
  value: string
  placeholder: string
  maxLength: number
  isInvalid?: boolean
  describedBy?: string
  onChange: (value: string) => void
}

/** A short text inside its sentence. */
export function InlineText({ label, isInvalid = false, describedBy, onChange, ...rest }: InlineTextProps) {
  return (
    <span className={SHELL}>
      <input
        {...rest}
        aria-label={label}
        aria-invalid={isInvalid}
        aria-describedby={describedBy}
        className="fitted min-w-[6ch] bg-transparent font-semibold outline-none"
        onChange={(event) => onChange(event.target.value)}
      />
    </span>
  )
}

interface RateFieldProps {
  label: string
  /** Basis points. */
  rate: number
  onChange: (rate: number) => void
}

/** A rate in per cent, with at most two decimals; what is none stays as it was typed, with the range below it. */
export function RateField({ label, rate, onChange }: RateFieldProps) {
  const { language } = useMoney()
  const [text, setText] = useState((rate / 100).toLocaleString(language, { useGrouping: false }))
  const known = useRef(rate)
  const noteId = useId()
  useEffect(() => {
    if (rate === known.current) return
    known.current = rate
    setText((rate / 100).toLocaleString(language, { useGrouping: false }))
  }, [rate, language])
  const why = readRate(text) === null ? 'Write a rate from 0 to 100, with at most two decimals.' : null
  useReportUnread(label, why)
  return (
    <span className={WITH_NOTE}>
      <span className={SHELL}>
        <input
          aria-label={`${label}, 0 to 100`}
          aria-invalid={why !== null}
          aria-describedby={noteId}
          inputMode="decimal"
          maxLength={12}
          className="fitted min-w-[2ch] bg-transparent font-semibold outline-none"
          value={text}
          onChange={(event) => {
            setText(event.target.value)
            const typed = readRate(event.target.value)
            if (typed === null) return
            known.current = typed
            onChange(typed)
          }}
        />
        {' %'}
      </span>
      <InlineNote id={noteId} error={why} />
    </span>
  )
}

/** Basis points of a typed percentage; null where it is none from 0 to 100 with at most two decimals. */
function readRate(text: string): number | null {
  const match = /^(\d{1,3})(?:[.,](\d{1,2}))?$/.exec(text.trim().replace(/\s*%$/, ''))
  if (!match) return null
  const rate = Number(match[1]) * 100 + Number((match[2] ?? '').padEnd(2, '0'))
  return rate <= 10_000 ? rate : null
}

/** Takes a part out of its sentence again. */
export function TakeOut({ label, onClick }: { label: string; onClick: () => void }) {
  return (
    <button
      type="button"
      aria-label={label}
      title={label}
      onClick={onClick}
      className="ml-1 inline-grid size-6 place-items-center rounded align-middle text-ink-3 hover:bg-sheet-2 hover:text-ink"
    >
      <X size={14} />
    </button>
  )
}
