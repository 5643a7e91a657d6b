import { addDays, type Day } from '../../core/calendar/day.ts'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { formatMoney, type MoneyFormat } from '../../core/money/format.ts'
import { classes } from '../../ui/classes.ts'
import { StateMark, type StateShape } from '../../ui/State.tsx'
import type { DaySums } from './queries.ts'
import { formatMonth, spanOfMonth } from './span.ts'

interface MoneyCalendarProps {
  /** "2026-11" */
  month: string
  days: DaySums[]
  today: Day
  money: MoneyFormat
  chosen: Day | null
  choose: (day: Day) => void
}

const WEEKDAYS = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday']

/** A month as a calendar: on each day what was received, and what is due and how it stands. A day opens both. */
export function MoneyCalendar({ month, days, today, money, chosen, choose }: MoneyCalendarProps) {
  return (
    <table className="w-full table-fixed border-collapse text-[13px]">
      <caption className="sr-only">{formatMonth(month)}, day by day</caption>
      <thead>
        <tr>
          {WEEKDAYS.map((name) => (
            <th key={name} scope="col" className="pb-1 pl-1.5 text-left text-[12px] font-semibold text-ink-3">
              <abbr title={name} className="no-underline">
                {name.slice(0, 3)}
              </abbr>
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {weeksOf(month).map((week) => (
          <tr key={week[0]}>
            {week.map((day) => (
              <td
                key={day}
                className={classes('h-[74px] border border-line p-0 align-top', day === today && 'bg-sheet-2')}
              >
                {day.startsWith(month) && (
                  <DayCell
                    day={day}
                    isToday={day === today}
                    sums={days.find((other) => other.day === day)}
                    money={money}
                    isChosen={day === chosen}
                    choose={choose}
                  />
                )}
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  )
}

interface DayCellProps {
  day: Day
  isToday: boolean
  sums: DaySums | undefined
  money: MoneyFormat
  isChosen: boolean
  choose: (day: Day) => void
}

function DayCell({ day, isToday, sums, money, isChosen, choose }: DayCellProps) {
  const number = (
    <span className={classes('block text-[12px]', isToday ? 'font-bold text-ink' : 'text-ink-3')}>
      {Number(day.slice(8))}
      {isToday && ' today'}
    </span>
  )
  if (!sums) return <div className="p-1.5">{number}</div>
  const parts: [StateShape, string, number][] = [
    ['received', 'received', sums.received],
    ['awaited', 'waiting', sums.awaited],
    ['late', 'overdue', sums.late],
    ['failed', 'stopped', sums.givenUp],
    ['due', 'to come', sums.toCome],
  ]
  const there = parts.filter(([, , amount]) => amount > 0)
  return (
    <button
      type="button"
      aria-pressed={isChosen}
      onClick={() => choose(day)}
      className={classes(
        'flex h-full w-full flex-col items-start p-1.5 text-left',
        isChosen ? 'bg-acorn' : 'hover:bg-acorn-soft',
      )}
    >
      <span className="sr-only">
        {formatDay(day, 'en-GB')}: {there.map(([, word, amount]) => `${formatMoney(amount, money)} ${word}`).join(', ')}
      </span>
      <span aria-hidden="true">
        {number}
        {there.map(([shape, , amount]) => (
          <span key={shape} className="mt-0.5 flex items-center gap-1 whitespace-nowrap">
            <StateMark shape={shape} size={9} />
            {formatMoney(amount, money, true)}
          </span>
        ))}
      </span>
    </button>
  )
}

/** The weeks of a month from Monday to Sunday, with the days around it that fill them. */
function weeksOf(month: string): Day[][] {
  const { from, until } = spanOfMonth(month)
  const weekday = (new Date(`${from}T00:00:00Z`).getUTCDay() + 6) % 7
  const weeks: Day[][] = []
  for (let monday = addDays(from, -weekday); monday <= until; monday = addDays(monday, 7))
    weeks.push(Array.from({ length: 7 }, (_, n) => addDays(monday, n)))
  return weeks
}
