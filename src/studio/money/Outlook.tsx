import { BarController, BarElement, CategoryScale, Chart, LinearScale, Tooltip } from 'chart.js'
import { useEffect, useRef } from 'react'
import { addDays, after } from '../../core/calendar/day.ts'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { currencyDigits } from '../../core/money/currency.ts'
import { formatMoney, type MoneyFormat } from '../../core/money/format.ts'
import type { Month } from './queries.ts'
import { formatMonthShort } from './span.ts'

Chart.register(CategoryScale, LinearScale, BarController, BarElement, Tooltip)
Chart.defaults.font.family = '"Instrument Sans Variable", sans-serif'
Chart.defaults.color = '#48534a'

interface OutlookProps {
  months: Month[]
  today: string
  money: MoneyFormat
}

/** What was received in the year behind, against what is agreed for the year ahead: full bars and outlined ones. */
export function Outlook({ months, today, money }: OutlookProps) {
  const canvas = useRef<HTMLCanvasElement>(null)
  const ahead = months.filter(({ month }) => month > today.slice(0, 7)).reduce((sum, { toCome }) => sum + toCome, 0)
  const day = (when: string) => formatDay(when, money.language)
  const nextMonth = after(`${today.slice(0, 7)}-01`, 1, { count: 1, unit: 'month' })
  const lastDay = addDays(after(`${months.at(-1)?.month}-01`, 1, { count: 1, unit: 'month' }), -1)
  const behind = months.reduce((sum, { received }) => sum + received, 0)
  useEffect(() => {
    if (!canvas.current) return
    const unit = 10 ** currencyDigits(money.currency)
    const chart = new Chart(canvas.current, {
      type: 'bar',
      data: {
        labels: months.map(({ month }) => formatMonthShort(month, today)),
        datasets: [
          {
            label: 'received',
            data: months.map(({ received }) => received / unit),
            backgroundColor: '#2f6b3c',
            stack: 'a',
          },
          {
            label: 'to come or waiting',
            data: months.map(({ toCome, awaited }) => (toCome + awaited) / unit),
            backgroundColor: '#fcfdf9',
            borderColor: '#1a231c',
            borderWidth: 1,
            stack: 'a',
          },
          {
            label: 'overdue or stopped',
            data: months.map(({ late, givenUp }) => (late + givenUp) / unit),
            backgroundColor: '#8a5200',
            stack: 'a',
          },
        ],
      },
      options: {
        animation: false,
        maintainAspectRatio: false,
        scales: {
          x: { stacked: true, grid: { display: false }, ticks: { maxTicksLimit: 6, maxRotation: 0 } },
          y: {
            stacked: true,
            grid: { color: '#d6dccb' },
            ticks: {
              maxTicksLimit: 5,
              callback: (value) => formatMoney(Math.round(Number(value) * unit), money, true),
            },
          },
        },
        plugins: {
          tooltip: {
            callbacks: {
              label: ({ dataset, parsed }) =>
                ` ${dataset.label}: ${formatMoney(Math.round((parsed.y ?? 0) * unit), money)}`,
            },
          },
        },
      },
    })
    return () => chart.destroy()
  }, [months, money, today])
  return (
    <>
      <p className="display mb-3 text-[17px] leading-[1.45] font-medium">
        {formatMoney(behind, money)} received since {day(`${months[0]?.month}-01`)}. {formatMoney(ahead, money)} agreed
        for the time from {day(nextMonth)} to {day(lastDay)}.
      </p>
      <div className="h-[230px]">
        <canvas
          ref={canvas}
          role="img"
          aria-label="Money by month: received, to come, overdue; the months at the left say the same"
        />
      </div>
      <p className="mt-2 text-[12.5px] text-ink-3">
        Full: received in that month. Outline: due in it, still to come. Ochre: overdue, or stopped and still owed.
      </p>
    </>
  )
}
