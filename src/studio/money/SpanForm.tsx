import { useState } from 'react'
import { isDay } from '../../core/calendar/day.ts'
import { Button } from '../../ui/Button.tsx'
import { Field } from '../../ui/Field.tsx'
import { DayField } from '../days/DayField.tsx'
import { useSession } from '../session/session.ts'
import { addressOf, type DaySpan, spanOfYear } from './span.ts'

interface SpanFormProps {
  span: DaySpan
  today: string
  /** What the server says of the span. */
  complaint: string | null
  go: (change: Record<string, string | null>) => void
}

const DATE = 'w-full rounded-field border border-line-2 bg-sheet px-2 py-1 text-[13px] aria-invalid:border-failed'

/** From any day to any other: the days that are looked at, to be changed in place. */
export function SpanForm({ span, today, complaint, go }: SpanFormProps) {
  const [draft, setDraft] = useState(span)
  const [shown, setShown] = useState(span)
  // Another span was chosen elsewhere: what was typed for the one before is of no use.
  if (shown.from !== span.from || shown.until !== span.until) {
    setShown(span)
    setDraft(span)
  }
  const { school } = useSession()
  const [unread, setUnread] = useState<Partial<Record<keyof DaySpan, string | null>>>({})
  const isWhole = isDay(draft.from) && isDay(draft.until)
  const isBackwards = isWhole && draft.until < draft.from
  const year = today.slice(0, 4)
  const show = (next: DaySpan) => {
    if (unread.from || unread.until) return
    if (!isDay(next.from) || !isDay(next.until) || next.until < next.from) return
    if (next.from !== span.from || next.until !== span.until) go(addressOf(next))
  }
  const date = (name: keyof DaySpan, label: string, error: string | null) => (
    <Field
      label={label}
      error={error}
      className="grid grid-cols-[36px_1fr] items-center gap-x-1 [&>div]:col-start-2 [&_label]:font-normal"
    >
      {(wiring) => (
        <DayField
          wiring={wiring}
          className={DATE}
          language={school.language}
          today={today}
          value={draft[name]}
          onUnread={(why) => setUnread((old) => ({ ...old, [name]: why }))}
          onChange={(day) => setDraft((old) => ({ ...old, [name]: day }))}
        />
      )}
    </Field>
  )
  return (
    <form
      aria-label="The days to look at"
      className="mx-1 mb-3 grid gap-1"
      onSubmit={(event) => {
        event.preventDefault()
        show(draft)
      }}
      onBlur={(event) => {
        if (!event.currentTarget.contains(event.relatedTarget)) show(draft)
      }}
    >
      {date('from', 'From', isDay(draft.from) && !unread.from ? null : 'Write a full date.')}
      {date(
        'until',
        'To',
        isDay(draft.until) && !unread.until
          ? isBackwards
            ? 'The last day is before the first.'
            : complaint
          : 'Write a full date.',
      )}
      <p className="flex flex-wrap items-center gap-x-3 gap-y-1 pt-1 text-[13px]">
        <Button type="submit" kind="quiet" className="px-3 py-1 text-[13px]">
          Show
        </Button>
        <Button kind="link" onClick={() => go(addressOf(spanOfYear(year)))}>
          {year}
        </Button>
        <Button kind="link" onClick={() => go(addressOf(spanOfYear(String(Number(year) - 1))))}>
          {Number(year) - 1}
        </Button>
      </p>
    </form>
  )
}
