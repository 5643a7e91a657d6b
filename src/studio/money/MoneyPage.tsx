import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useSearchParams } from 'react-router'
import { sayDayShort } from '../../core/calendar/sayDay.ts'
import { formatMoney, type MoneyFormat } from '../../core/money/format.ts'
import { buttonClass } from '../../ui/Button.tsx'
import { classes } from '../../ui/classes.ts'
import { unwrap } from '../../ui/problem.ts'
import { State, type StateShape } from '../../ui/State.tsx'
import { api } from '../api.ts'
import { Places, Reflection } from '../frame/Places.tsx'
import { OrderMirror, useOrder } from '../orders/OrderBench.tsx'
import { useMoney, useSession } from '../session/session.ts'
import { Outlook } from './Outlook.tsx'

const loadMonths = (search: string) => unwrap(api.money.months.$get({ query: { search } }))
export type Month = Awaited<ReturnType<typeof loadMonths>>['months'][number]
const loadPayments = (month: string, search: string) => unwrap(api.money.payments.$get({ query: { month, search } }))
type Row = Awaited<ReturnType<typeof loadPayments>>['payments'][number]

/** Money: what should have come and what came, month by month, down to each payment. */
export function MoneyPage() {
  const { mode } = useSession()
  const money = useMoney()
  const [params, setParams] = useSearchParams()
  const [search, setSearch] = useState('')
  const months = useQuery({
    queryKey: ['money', mode, search],
    queryFn: () => loadMonths(search),
    placeholderData: keepPreviousData,
  })
  const chosen = params.get('month') ?? months.data?.today.slice(0, 7) ?? ''
  const payments = useQuery({
    queryKey: ['money-payments', mode, chosen, search],
    enabled: chosen !== '',
    queryFn: () => loadPayments(chosen, search),
    placeholderData: keepPreviousData,
  })
  const order = useOrder(params.get('order') ?? undefined)
  const month = months.data?.months.find((other) => other.month === chosen)
  return (
    <Places
      shelfLabel="Months"
      columns="lg:grid-cols-[216px_minmax(0,1fr)_346px]"
      shelf={
        <Months
          months={months.data?.months ?? []}
          today={months.data?.today ?? ''}
          chosen={chosen}
          choose={(name) => setParams({ month: name })}
          search={search}
          setSearch={setSearch}
        />
      }
      bench={
        month && (
          <>
            <div className="flex flex-wrap items-start justify-between gap-3">
              <h1 className="text-[27px]">{sayMonth(month.month)}</h1>
              <p className="flex gap-2">
                <a className={buttonClass('quiet')} href={csvOf(month.month, search)} download>
                  Export CSV
                </a>
                <a className={buttonClass('quiet')} href="/api/money/to-come.ics" download>
                  To come, as a calendar
                </a>
              </p>
            </div>
            <p className="display mt-2 mb-3 text-[18px] leading-[1.45] font-medium text-ink-2">
              {sayMonthSums(month, money)}
            </p>
            <Payments
              rows={payments.data?.payments ?? []}
              money={money}
              chosen={params.get('order')}
              choose={(orderId) => setParams({ month: chosen, order: orderId })}
            />
          </>
        )
      }
      mirror={
        params.get('order') && order.data ? (
          <>
            <p className="mb-2 text-[13.5px]">
              <Link className="link" to={`/studio/orders/${order.data.id}`}>
                Open order {order.data.number}
              </Link>
            </p>
            <OrderMirror order={order.data} />
          </>
        ) : (
          months.data && (
            <Reflection label="A year back, a year ahead">
              <Outlook months={months.data.months} today={months.data.today} money={money} />
            </Reflection>
          )
        )
      }
    />
  )
}

interface MonthsProps {
  months: Month[]
  today: string
  chosen: string
  choose: (month: string) => void
  search: string
  setSearch: (search: string) => void
}

/** Each month with what was expected above what came. */
function Months({ months, today, chosen, choose, search, setSearch }: MonthsProps) {
  const money = useMoney()
  const most = Math.max(1, ...months.map(({ expected }) => expected))
  return (
    <>
      <h2 className="px-2 pb-2 text-[15px]">Months</h2>
      <input
        type="search"
        aria-label="Narrow to a buyer"
        placeholder="Buyer"
        value={search}
        onChange={(event) => setSearch(event.target.value)}
        className="mx-1 mb-2 w-[calc(100%-8px)] rounded-full border border-line-2 bg-transparent px-3 py-1 text-[13px]"
      />
      <ul>
        {months.map((month) => (
          <li key={month.month}>
            <button
              type="button"
              aria-pressed={month.month === chosen}
              onClick={() => choose(month.month)}
              className={classes(
                'grid w-full grid-cols-[58px_1fr] items-center gap-2 rounded-field px-2 py-[5px] text-left text-[13.5px]',
                month.month === chosen ? 'bg-acorn font-semibold' : 'hover:bg-sheet-2',
              )}
            >
              <span>
                {sayMonthShort(month.month, today)}
                <span className="sr-only">
                  : {formatMoney(month.expected, money)} expected, {formatMoney(month.received, money)} received
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
                    month.received === 0 && 'invisible',
                  )}
                  style={{ width: `${(month.received / most) * 100}%` }}
                />
              </span>
            </button>
          </li>
        ))}
      </ul>
    </>
  )
}

/** The month in one sentence; its parts add up to what was expected. */
function sayMonthSums(month: Month, money: MoneyFormat) {
  if (month.payments === 0) return <>Nothing is or was due in this month.</>
  const part = (amount: number) => <b className="text-ink">{formatMoney(amount, money)}</b>
  return (
    <>
      Of {part(month.expected)} expected, {part(month.received)} came
      {month.fees > 0 && <> ({part(month.received - month.fees)} after fees)</>}
      {month.late > 0 && <>, {part(month.late)} is late</>}
      {month.givenUp > 0 && <>, {part(month.givenUp)} is owed and not tried any more</>}
      {month.toCome > 0 && <>, {part(month.toCome)} is still to come</>}.
    </>
  )
}

interface PaymentsProps {
  rows: Row[]
  money: MoneyFormat
  chosen: string | null
  choose: (orderId: string) => void
}

function Payments({ rows, money, chosen, choose }: PaymentsProps) {
  const head = 'border-b border-line-2 py-1.5 pr-3 text-left text-[12px] font-semibold text-ink-3'
  const sum = (pick: (row: Row) => number) =>
    formatMoney(
      rows.reduce((all, row) => all + pick(row), 0),
      money,
    )
  return (
    <div className="overflow-x-auto">
      <table className="w-full text-[13.5px] [&_td]:border-b [&_td]:border-line [&_td]:py-2 [&_td]:pr-3">
        <thead>
          <tr>
            <th scope="col" className={head}>
              Due
            </th>
            <th scope="col" className={head}>
              Buyer
            </th>
            <th scope="col" className={head}>
              For
            </th>
            <th scope="col" className={`${head} text-right`}>
              Expected
            </th>
            <th scope="col" className={`${head} text-right`}>
              Received
            </th>
            <th scope="col" className={head}>
              State
            </th>
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => {
            const [shape, word] = stateOf(row)
            const form = { ...money, currency: row.currency }
            return (
              <tr key={row.id} className={row.orderId === chosen ? 'bg-acorn-soft' : 'hover:bg-sheet-2'}>
                <td className="pl-1.5 whitespace-nowrap">{sayDayShort(row.due)}</td>
                <td>
                  <button
                    type="button"
                    className="link text-left font-normal no-underline hover:underline"
                    onClick={() => choose(row.orderId)}
                  >
                    {row.buyer}
                  </button>
                </td>
                <td>
                  {row.course}
                  {row.of === null ? `, payment ${row.n}` : row.of > 1 && row.n > 0 ? `, ${row.n} of ${row.of}` : ''}
                </td>
                <td className="text-right">{formatMoney(row.pay, form)}</td>
                <td className="text-right">{row.standing === 'received' ? formatMoney(row.pay, form) : '–'}</td>
                <td>
                  <State shape={shape}>{word}</State>
                </td>
              </tr>
            )
          })}
          {rows.length > 0 && (
            <tr className="font-semibold">
              <td colSpan={3} className="pl-1.5">
                {rows.length} {rows.length === 1 ? 'payment' : 'payments'}
              </td>
              <td className="text-right">{sum(({ pay }) => pay)}</td>
              <td className="text-right">{sum(({ pay, standing }) => (standing === 'received' ? pay : 0))}</td>
              <td />
            </tr>
          )}
        </tbody>
      </table>
      {rows.length === 0 && <p className="py-3 text-ink-2">No payment here.</p>}
    </div>
  )
}

function stateOf({ standing, daysLate, tries, due, nextTry }: Row): readonly [StateShape, string] {
  const days = `${daysLate} ${daysLate === 1 ? 'day' : 'days'}`
  switch (standing) {
    case 'received':
      return ['received', tries > 1 ? `received, try ${tries}` : 'received']
    case 'late':
      return ['late', nextTry ? `late, ${days}; again ${sayDayShort(nextTry)}` : `late, ${days}`]
    case 'given-up':
      return ['failed', daysLate > 0 ? `stopped, owed for ${days}` : 'stopped']
    default:
      return ['due', `due ${sayDayShort(due)}`]
  }
}

function sayMonth(month: string): string {
  return new Intl.DateTimeFormat('en-GB', { month: 'long', year: 'numeric', timeZone: 'UTC' }).format(
    new Date(`${month}-01T00:00:00Z`),
  )
}

/** "Nov", or "Jan 27" where it is another year than today’s. */
function sayMonthShort(month: string, today: string): string {
  const name = new Intl.DateTimeFormat('en-GB', { month: 'short', timeZone: 'UTC' }).format(
    new Date(`${month}-01T00:00:00Z`),
  )
  return month.slice(0, 4) === today.slice(0, 4) ? name : `${name} ${month.slice(2, 4)}`
}

function csvOf(month: string, search: string): string {
  const [year, number] = month.split('-').map(Number) as [number, number]
  const last = new Date(Date.UTC(year, number, 0)).toISOString().slice(0, 10)
  return `/api/money/payments.csv?${new URLSearchParams({ from: `${month}-01`, until: last, search })}`
}
