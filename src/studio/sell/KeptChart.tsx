import {
  CategoryScale,
  Chart,
  type ChartDataset,
  LinearScale,
  LineController,
  LineElement,
  PointElement,
  Tooltip,
} from 'chart.js'
import { useEffect, useRef } from 'react'
import { formatMoney, type MoneyFormat } from '../../core/money/format.ts'
import { keptLine } from './keptLines.ts'

Chart.register(CategoryScale, LinearScale, LineController, LineElement, PointElement, Tooltip)
Chart.defaults.font.family = '"Instrument Sans Variable", sans-serif'
Chart.defaults.color = '#48534a'

interface KeptChartProps {
  /** Minor units month by month, for each offer. */
  series: readonly { name: string; kept: readonly number[] }[]
  digits: number
  money: MoneyFormat
}

/** Money kept over time; the table on the page says the same. */
export function KeptChart({ series, digits, money }: KeptChartProps) {
  const canvas = useRef<HTMLCanvasElement>(null)
  useEffect(() => {
    if (!canvas.current) return
    const unit = 10 ** digits
    const months = series[0]?.kept.length ?? 0
    const every = months > 25 ? 6 : 3
    const datasets = series.map(({ name, kept }, index): ChartDataset<'line'> => {
      const looks = keptLine(index)
      return {
        label: name,
        data: kept.map((amount) => amount / unit),
        stepped: true,
        borderColor: looks.color,
        backgroundColor: looks.color,
        borderDash: [...looks.dash],
        borderWidth: 2,
        pointStyle: looks.point,
        pointRadius: kept.map((_amount, month) => (month % every === 0 ? 4 : 0)),
      }
    })
    const chart = new Chart(canvas.current, {
      type: 'line',
      data: { labels: Array.from({ length: months }, (_, month) => (month === 0 ? 'today' : `${month}`)), datasets },
      options: {
        animation: false,
        maintainAspectRatio: false,
        interaction: { mode: 'index', intersect: false },
        scales: {
          x: {
            title: { display: true, text: 'months after the purchase' },
            grid: { display: false },
            ticks: { maxTicksLimit: 9, maxRotation: 0 },
          },
          y: {
            beginAtZero: true,
            grid: { color: '#d6dccb' },
            ticks: {
              maxTicksLimit: 6,
              callback: (value) => formatMoney(Math.round(Number(value) * unit), money, true),
            },
          },
        },
        plugins: {
          tooltip: {
            callbacks: {
              title: ([item]) => (item?.dataIndex ? `after ${item.dataIndex} months` : 'today'),
              label: ({ dataset, parsed }) =>
                ` ${dataset.label}: ${formatMoney(Math.round((parsed.y ?? 0) * unit), money)}`,
            },
          },
        },
      },
    })
    return () => chart.destroy()
  }, [series, digits, money])
  return (
    <div className="h-[260px]">
      <canvas
        ref={canvas}
        role="img"
        aria-label={`Money kept over time: ${series.map(({ name }) => name).join(', ')}`}
      />
    </div>
  )
}
