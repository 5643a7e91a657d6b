import { CalendarDays } from 'lucide-react'
import { Popover } from 'radix-ui'
import { useEffect, useRef, useState } from 'react'
import { DayPicker } from 'react-day-picker'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { readDay } from '../../core/calendar/readDay.ts'
import './dayField.css'

interface DayFieldProps {
  /** ISO 8601; empty where none is chosen. */
  value: string
  /** BCP 47 tag in which days are said and read. */
  language: string
  /** The day that it is, from which a day without a year is reckoned. */
  today: string
  className?: string
  /** What labels and describes the input. */
  wiring?: {
    id?: string
    'aria-describedby'?: string | undefined
    'aria-invalid'?: boolean | undefined
    'aria-label'?: string
  }
  onChange: (day: string) => void
  /** What is typed cannot be read as a day; null once it can. */
  onUnread?: (why: string | null) => void
}

const UNREAD = 'Write a date, like 4 December 2026 or 2026-12-04.'

/** A day, typed in everyday ways or chosen in a calendar, and said as the school says days. What cannot be read stays. */
export function DayField({ value, language, today, className = '', wiring, onChange, onUnread }: DayFieldProps) {
  const said = value ? formatDay(value, language) : ''
  const [text, setText] = useState(said)
  const [isOpen, setOpen] = useState(false)
  const known = useRef(value)
  useEffect(() => {
    if (value === known.current) return
    known.current = value
    setText(said)
  }, [value, said])
  const choose = (day: string) => {
    known.current = day
    onUnread?.(null)
    onChange(day)
  }
  const type = (typed: string) => {
    setText(typed)
    const day = readDay(typed, language, today)
    if (day) choose(day)
    else onUnread?.(UNREAD)
  }
  return (
    <Popover.Root open={isOpen} onOpenChange={setOpen}>
      <Popover.Anchor asChild>
        <span className={`inline-flex items-baseline gap-1 ${className}`}>
          <input
            {...wiring}
            type="text"
            autoComplete="off"
            maxLength={40}
            value={text}
            className="fitted min-w-[10ch] flex-1 bg-transparent outline-none"
            onChange={(event) => type(event.target.value)}
            onBlur={() => {
              if (readDay(text, language, today) === value) setText(said)
            }}
            onKeyDown={(event) => {
              if (event.key !== 'ArrowDown') return
              event.preventDefault()
              setOpen(true)
            }}
          />
          <Popover.Trigger
            type="button"
            aria-label="Choose in a calendar"
            title="Choose in a calendar"
            className="grid size-6 flex-none place-items-center self-center rounded text-ink-3 hover:bg-sheet-2 hover:text-ink"
          >
            <CalendarDays size={15} />
          </Popover.Trigger>
        </span>
      </Popover.Anchor>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={6}
          className="z-[60] rounded-[10px] border border-line-2 bg-sheet p-3 shadow-[0_24px_60px_-30px_rgb(26_35_28/.6)]"
        >
          <DayPicker
            mode="single"
            autoFocus
            weekStartsOn={language === 'en-US' ? 0 : 1}
            {...(value ? { selected: localOf(value), defaultMonth: localOf(value) } : { defaultMonth: localOf(today) })}
            today={localOf(today)}
            onSelect={(date) => {
              if (!date) return
              const day = dayOf(date)
              choose(day)
              setText(formatDay(day, language))
              setOpen(false)
            }}
          />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}

/** The calendar's own dates are of the browser's zone; only their figures count. */
function localOf(day: string): Date {
  const [year, month, date] = day.split('-').map(Number) as [number, number, number]
  return new Date(year, month - 1, date)
}

function dayOf(date: Date): string {
  const two = (part: number) => String(part).padStart(2, '0')
  return `${String(date.getFullYear()).padStart(4, '0')}-${two(date.getMonth() + 1)}-${two(date.getDate())}`
}
