import { formatMoney } from '../../core/money/format.ts'
import { classes } from '../../ui/classes.ts'
import { StateMark } from '../../ui/State.tsx'
import { useMoney } from '../session/session.ts'
import { type MoneyQuery, NarrowTo } from './NarrowTo.tsx'
import type { Ages, Month } from './queries.ts'
import { SpanForm } from './SpanForm.tsx'
import { addressOf, type DaySpan, formatMonthShort, monthOf, spanOfMonth } from './span.ts'

interface MonthsProps {
  months: Month[]
  today: string
  isLate: boolean
  isAccounts: boolean
  /** The days that are looked at; null where it is all that is overdue, or where the money is. */
  span: DaySpan | null
  /** What the server says of them. */
  complaint: string | null
  ages: Ages | null
  go: (change: Record<string, string | null>) => void
  query: MoneyQuery
}

/** What it is narrowed to; what is late; the days to look at; each month with what is due in it above what was received in it. */
export function Months({ months, today, isLate, isAccounts, span, complaint, ages, go, query }: MonthsProps) {
  const money = useMoney()
  const most = Math.max(1, ...months.flatMap(({ expected, received }) => [expected, received]))
  const chosen = span && monthOf(span)
  const elsewhere = { month: null, from: null, until: null, day: null, list: null, order: null }
  const givenUp = ages?.givenUp ?? 0
  const late = ages ? ages.upToAWeek + ages.upToAMonth + ages.older : 0
  return (
    <>
      <NarrowTo query={query} go={go} />
      <button
        type="button"
        aria-pressed={isLate}
        onClick={() => go({ ...elsewhere, view: 'late' })}
        className={classes(
          'mb-2 flex w-full items-baseline justify-between gap-2 rounded-field px-2 py-1.5 text-left text-[13.5px]',
          isLate ? 'bg-acorn font-semibold' : 'hover:bg-sheet-2',
        )}
      >
        <span className="inline-flex items-center gap-1.5 font-medium">
          <StateMark shape={late > 0 ? 'late' : givenUp > 0 ? 'failed' : 'off'} />
          {late > 0 || givenUp === 0 ? 'Overdue' : 'Stopped'}
        </span>
        <span>{late + givenUp > 0 ? formatMoney(late || givenUp, money) : 'nothing'}</span>
      </button>
      <button
        type="button"
        aria-pressed={isAccounts}
        onClick={() => go({ ...elsewhere, view: 'accounts' })}
        className={classes(
          'mb-2 block w-full rounded-field px-2 py-1.5 text-left text-[13.5px] font-medium',
          isAccounts ? 'bg-acorn font-semibold' : 'hover:bg-sheet-2',
        )}
      >
        Where the money is
      </button>
      {today && <SpanForm span={span ?? spanOfMonth(today.slice(0, 7))} today={today} complaint={complaint} go={go} />}
      <h2 className="px-2 pb-1 text-[15px]">Months</h2>
      <ul>
        {months.map((month) => (
          <li key={month.month}>
            <button
              type="button"
              aria-pressed={month.month === chosen}
              onClick={() => go(addressOf(spanOfMonth(month.month)))}
              className={classes(
                'grid w-full grid-cols-[58px_1fr] items-center gap-2 rounded-field px-2 py-[5px] text-left text-[13.5px]',
                month.month === chosen ? 'bg-acorn font-semibold' : 'hover:bg-sheet-2',
              )}
            >
              <span>
                {formatMonthShort(month.month, today)}
                <span className="sr-only">
                  : {formatMoney(month.expected, money)} due, {formatMoney(month.received, money)} received
                </span>
              </span>
              <span aria-hidden="true">
                <i
                  className="block h-[7px] rounded-[1.5px] border border-ink"
                  style={{ width: `${(month.expected / most) * 100}%` }}
                />
                <i
                  className={classes(
                    'mt-px block h-[6px] rounded-[1.5px] bg-received',
                    month.received <= 0 && 'invisible',
                  )}
                  style={{ width: `${(Math.max(0, month.received) / most) * 100}%` }}
                />
              </span>
            </button>
          </li>
        ))}
      </ul>
    </>
  )
}
