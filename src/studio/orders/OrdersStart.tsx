import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { formatDayShort } from '../../core/calendar/formatDay.ts'
import { formatMoney } from '../../core/money/format.ts'
import { buttonClass } from '../../ui/Button.tsx'
import { unwrap } from '../../ui/problem.ts'
import { api } from '../api.ts'
import { PreviewSection } from '../frame/Places.tsx'
import { Waiting } from '../frame/Waiting.tsx'
import { useSession } from '../session/session.ts'
import { AttentionList } from './AttentionList.tsx'

const WEEK = 7

function useRecentDays() {
  const { mode } = useSession()
  return useQuery({ queryKey: ['orders', mode, 'recent'], queryFn: () => unwrap(api.orders.recent.$get()) })
}

const counted = (count: number) => `${count} ${count === 1 ? 'order' : 'orders'}`

function sumOf(days: readonly { orders: number; received: number }[]) {
  return days.reduce(
    (sum, { orders, received }) => ({ orders: sum.orders + orders, received: sum.received + received }),
    { orders: 0, received: 0 },
  )
}

/** The start of Orders, while none is chosen: today, this week beside the one before, and what waits or fails. */
export function OrdersStart() {
  const { school, mode } = useSession()
  const sum = useQuery({ queryKey: ['orders-sum', mode], queryFn: () => unwrap(api.orders.sum.$get()) })
  const recent = useRecentDays()
  if (!sum.data || !recent.data) return <Waiting error={sum.error ?? recent.error} />
  const { paid, waiting, unpaid } = sum.data
  const today = recent.data.at(-1) ?? { orders: 0, received: 0 }
  const week = sumOf(recent.data.slice(-WEEK))
  const before = sumOf(recent.data.slice(0, -WEEK))
  const money = (amount: number) => formatMoney(amount, school)
  return (
    <>
      <h1 className="text-[27px]">Orders in {mode === 'practice' ? 'Practice' : 'Live'}</h1>
      {paid + waiting + unpaid > 0 ? (
        <p className="display mt-2 text-[18px] leading-[1.45] font-medium text-ink-2">
          Today <b className="text-ink">{counted(today.orders)}</b> and{' '}
          <b className="text-ink">{money(today.received)}</b> received. In the last 7 days{' '}
          <b className="text-ink">{counted(week.orders)}</b> and <b className="text-ink">{money(week.received)}</b>; in
          the 7 days before {counted(before.orders)} and {money(before.received)}.
          {waiting > 0 && (
            <>
              {' '}
              <Link className="link" to="/studio/orders?state=waiting">
                {counted(waiting)}
              </Link>{' '}
              waiting for payment.
            </>
          )}
        </p>
      ) : (
        <FirstOrder />
      )}
      <AttentionList />
    </>
  )
}

/** Shown before the first order: how to get it. */
function FirstOrder() {
  const { mode } = useSession()
  return (
    <>
      <p className="mt-2 max-w-[60ch] text-ink-2">
        {mode === 'practice'
          ? 'Orders appear here as soon as somebody buys. Open your shop, choose a course, and pay with a sample card: no real money moves, and you see everything a buyer sees.'
          : 'Orders appear here as soon as somebody buys. What is still missing is listed under Setup.'}
      </p>
      <p className="mt-2.5">
        {mode === 'practice' ? (
          <a className={buttonClass('press')} href="/" target="_blank" rel="noopener">
            Open the shop
          </a>
        ) : (
          <Link className={buttonClass('press')} to="/studio/setup/live">
            See what is missing
          </Link>
        )}
      </p>
    </>
  )
}

/** The last seven days, each beside the same day of the week before. */
export function RecentDays() {
  const { school } = useSession()
  const { data } = useRecentDays()
  if (!data || sumOf(data).orders + sumOf(data).received === 0) return null
  const days = data.slice(-WEEK).toReversed()
  const thisYear = days[0]?.day.slice(0, 4)
  return (
    <PreviewSection label="Day by day, and the same day a week before">
      <table className="w-full text-[13px]">
        <thead>
          <tr className="text-left text-ink-3">
            <th className="py-1 font-normal">Day</th>
            <th className="py-1 text-right font-normal">Orders</th>
            <th className="py-1 text-right font-normal">Received</th>
            <th className="py-1 text-right font-normal">A week before</th>
          </tr>
        </thead>
        <tbody>
          {days.map(({ day, orders, received }, index) => (
            <tr key={day} className="border-t border-line">
              <td className="py-1">{index === 0 ? 'Today' : formatDayShort(day, thisYear)}</td>
              <td className="py-1 text-right">{orders}</td>
              <td className="py-1 text-right font-semibold">{formatMoney(received, school)}</td>
              <td className="py-1 text-right text-ink-2">
                {formatMoney(data[WEEK - 1 - index]?.received ?? 0, school)}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </PreviewSection>
  )
}
