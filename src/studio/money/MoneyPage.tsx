import { keepPreviousData, useInfiniteQuery, useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { Link, useSearchParams } from 'react-router'
import { sayDayShort } from '../../core/calendar/sayDay.ts'
import { formatMoney, type MoneyFormat } from '../../core/money/format.ts'
import { Button, buttonClass } from '../../ui/Button.tsx'
import { classes } from '../../ui/classes.ts'
import { unwrap } from '../../ui/problem.ts'
import { State, StateMark, type StateShape } from '../../ui/State.tsx'
import { api } from '../api.ts'
import { Places, Reflection } from '../frame/Places.tsx'
import { OrderMirror, useOrder } from '../orders/OrderBench.tsx'
import { useMoney, useSession } from '../session/session.ts'
import { type MoneyQuery, NarrowTo, queryOf } from './NarrowTo.tsx'
import { Outlook } from './Outlook.tsx'

const loadMonths = (query: MoneyQuery) => unwrap(api.money.months.$get({ query }))
export type Month = Awaited<ReturnType<typeof loadMonths>>['months'][number]
type Ages = Awaited<ReturnType<typeof loadMonths>>['ages']
const loadPayments = (month: string, standing: string | null, after: string | undefined, query: MoneyQuery) =>
  unwrap(
    api.money.payments.$get({
      query: {
        month,
        ...query,
        ...(standing ? { standing: standing as Standing } : {}),
        ...(after ? { after } : {}),
      },
    }),
  )
type Standing = 'received' | 'late' | 'given-up' | 'to-come'
const loadLate = (standing: 'late' | 'given-up', after: string | undefined, query: MoneyQuery) =>
  unwrap(api.money.late.$get({ query: { ...query, standing, ...(after ? { after } : {}) } }))
export type Row = Awaited<ReturnType<typeof loadPayments>>['payments'][number]

/** Money: what should have come and what came, month by month, down to each payment; and what is late. */
export function MoneyPage() {
  const { mode } = useSession()
  const money = useMoney()
  const [params, setParams] = useSearchParams()
  const query = queryOf(params)
  const months = useQuery({
    queryKey: ['money', mode, query],
    queryFn: () => loadMonths(query),
    placeholderData: keepPreviousData,
  })
  const isLate = params.get('view') === 'late'
  const chosen = isLate ? '' : (params.get('month') ?? months.data?.today.slice(0, 7) ?? '')
  const order = useOrder(params.get('order') ?? undefined)
  const month = months.data?.months.find((other) => other.month === chosen)
  /** Changes what is looked at, and keeps what it is narrowed to. */
  const go = (change: Record<string, string | null>) => {
    const next = new URLSearchParams(params)
    for (const [name, value] of Object.entries(change)) {
      if (value === null || value === '') next.delete(name)
      else next.set(name, value)
    }
    setParams(next)
  }
  const chooseOrder = (orderId: string) => go({ order: orderId })
  return (
    <Places
      shelfLabel="Months"
      columns="lg:grid-cols-[216px_minmax(0,1fr)_346px]"
      shelf={
        <Months
          months={months.data?.months ?? []}
          today={months.data?.today ?? ''}
          chosen={chosen}
          isLate={isLate}
          ages={months.data?.ages ?? null}
          go={go}
          query={query}
        />
      }
      bench={
        <>
          {isLate && months.data && (
            <LateBench
              ages={months.data.ages}
              money={money}
              query={query}
              chosen={params.get('order')}
              choose={chooseOrder}
            />
          )}
          {month && (
            <MonthBench month={month} money={money} query={query} params={params} go={go} choose={chooseOrder} />
          )}
          {months.error && (
            <p role="alert" className="text-failed">
              {months.error.message}
            </p>
          )}
        </>
      }
      mirror={
        params.get('order') && order.data ? (
          <>
            <p className="mb-2 flex flex-wrap gap-x-4 text-[13.5px]">
              <Link className="link" to={`/studio/orders/${order.data.id}`}>
                Open order {order.data.number}
              </Link>
              <Button kind="link" onClick={() => go({ order: null })}>
                Close
              </Button>
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
  isLate: boolean
  ages: Ages | null
  go: (change: Record<string, string | null>) => void
  query: MoneyQuery
}

/** What it is narrowed to; what is late; each month with what was expected above what came. */
function Months({ months, today, chosen, isLate, ages, go, query }: MonthsProps) {
  const money = useMoney()
  const most = Math.max(1, ...months.map(({ expected }) => expected))
  const late = ages ? ages.upToAWeek + ages.upToAMonth + ages.older : 0
  return (
    <>
      <NarrowTo query={query} go={go} />
      <button
        type="button"
        aria-pressed={isLate}
        onClick={() => go({ view: 'late', month: null, standing: null, order: null })}
        className={classes(
          'mb-2 flex w-full items-baseline justify-between gap-2 rounded-field px-2 py-1.5 text-left text-[13.5px]',
          isLate ? 'bg-acorn font-semibold' : 'hover:bg-sheet-2',
        )}
      >
        <span className="inline-flex items-center gap-1.5 font-medium">
          <StateMark shape={late > 0 ? 'late' : 'off'} />
          Late
        </span>
        <span>{late > 0 ? formatMoney(late, money) : 'nothing'}</span>
      </button>
      <h2 className="px-2 pb-1 text-[15px]">Months</h2>
      <ul>
        {months.map((month) => (
          <li key={month.month}>
            <button
              type="button"
              aria-pressed={month.month === chosen}
              onClick={() => go({ month: month.month, view: null, standing: null, order: null })}
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

interface MonthBenchProps {
  month: Month
  money: MoneyFormat
  query: MoneyQuery
  params: URLSearchParams
  go: (change: Record<string, string | null>) => void
  choose: (orderId: string) => void
}

/** One month: its sentence, each figure of which opens what it is made of, and its payments. */
function MonthBench({ month, money, query, params, go, choose }: MonthBenchProps) {
  const { mode } = useSession()
  const standing = params.get('standing')
  const list = useInfiniteQuery({
    queryKey: ['money-payments', mode, month.month, standing, query],
    initialPageParam: undefined as string | undefined,
    queryFn: ({ pageParam }) => loadPayments(month.month, standing, pageParam, query),
    getNextPageParam: (page) => page.next ?? undefined,
    placeholderData: keepPreviousData,
  })
  const rows = list.data?.pages.flatMap((page) => page.payments) ?? []
  return (
    <>
      <div className="flex flex-wrap items-start justify-between gap-3">
        <h1 className="text-[27px]">{sayMonth(month.month)}</h1>
        <p className="flex gap-2">
          <a className={buttonClass('quiet')} href={csvOf(month.month, query)} download>
            Export CSV
          </a>
          <a className={buttonClass('quiet')} href="/api/money/to-come.ics" download>
            To come, as a calendar
          </a>
        </p>
      </div>
      <p className="display mt-2 mb-3 text-[18px] leading-[1.45] font-medium text-ink-2">
        <MonthSums month={month} money={money} open={(wanted) => go({ standing: wanted, order: null })} />
      </p>
      {standing && (
        <p className="mb-2 flex flex-wrap items-baseline gap-x-3 text-[13.5px]">
          Only what {STANDING_WORDS[standing] ?? standing}.
          <Button kind="link" onClick={() => go({ standing: null })}>
            Show all of the month
          </Button>
        </p>
      )}
      <Payments
        rows={rows}
        money={money}
        chosen={params.get('order')}
        choose={choose}
        total={standing ? null : month}
        hasMore={list.hasNextPage}
      />
      {list.hasNextPage && (
        <Button
          kind="link"
          className="py-2"
          disabled={list.isFetchingNextPage}
          onClick={() => void list.fetchNextPage()}
        >
          Show more
        </Button>
      )}
    </>
  )
}

const STANDING_WORDS: Record<string, string> = {
  received: 'came',
  late: 'is late',
  'given-up': 'is owed and not tried any more',
  'to-come': 'is still to come',
}

interface MonthSumsProps {
  month: Month
  money: MoneyFormat
  open: (standing: string) => void
}

/** The month in one sentence; its parts add up to what was expected, and each opens what it is made of. */
function MonthSums({ month, money, open }: MonthSumsProps) {
  if (month.payments === 0) return <>Nothing is or was due in this month.</>
  const plain = (amount: number) => <b className="text-ink">{formatMoney(amount, money)}</b>
  const part = (amount: number, standing: Row['standing']) => (
    <button
      type="button"
      className="font-bold text-ink underline decoration-line-2 underline-offset-4"
      onClick={() => open(standing)}
    >
      {formatMoney(amount, money)}
    </button>
  )
  const taken = month.fees + month.refunds
  return (
    <>
      Of {plain(month.expected)} expected, {part(month.received, 'received')} came
      {taken > 0 && (
        <>
          {' '}
          ({plain(month.received - taken)} after {month.fees > 0 && <>{formatMoney(month.fees, money)} of fees</>}
          {month.fees > 0 && month.refunds > 0 && ' and '}
          {month.refunds > 0 && <>{formatMoney(month.refunds, money)} given back</>})
        </>
      )}
      {month.late > 0 && <>, {part(month.late, 'late')} is late</>}
      {month.givenUp > 0 && <>, {part(month.givenUp, 'given-up')} is owed and not tried any more</>}
      {month.toCome > 0 && <>, {part(month.toCome, 'to-come')} is still to come</>}.
    </>
  )
}

interface LateBenchProps {
  ages: Ages
  money: MoneyFormat
  query: MoneyQuery
  chosen: string | null
  choose: (orderId: string) => void
}

/** Everything late whenever it was due, by its age, with what happens next; and what was given up. */
function LateBench({ ages, money, query, chosen, choose }: LateBenchProps) {
  const late = useLate('late', query)
  const givenUp = useLate('given-up', query)
  const rows = late.rows
  const groups: [string, number, Row[]][] = [
    ['Older', ages.older, rows.filter((row) => row.daysLate > 30)],
    ['A week to a month', ages.upToAMonth, rows.filter((row) => row.daysLate > 7 && row.daysLate <= 30)],
    ['Up to a week', ages.upToAWeek, rows.filter((row) => row.daysLate <= 7)],
  ]
  const sum = ages.upToAWeek + ages.upToAMonth + ages.older
  const list = (of: Row[]) => (
    <Payments rows={of} money={money} chosen={chosen} choose={choose} total={null} hasMore={false} />
  )
  return (
    <>
      <h1 className="text-[27px]">Late</h1>
      <p className="display mt-2 text-[18px] leading-[1.45] font-medium text-ink-2">
        {sum === 0 ? (
          'Nothing is late.'
        ) : (
          <>
            In all <b className="text-ink">{formatMoney(sum, money)}</b> is late and still tried.
          </>
        )}
        {ages.givenUp > 0 && (
          <>
            {' '}
            <b className="text-ink">{formatMoney(ages.givenUp, money)}</b> was given up.
          </>
        )}
      </p>
      {groups.map(([title, amount, of]) =>
        of.length > 0 ? (
          <Group key={title} title={title} amount={formatMoney(amount, money)}>
            {list(of)}
          </Group>
        ) : null,
      )}
      {late.more}
      {givenUp.rows.length > 0 && (
        <Group title="Given up: owed, and not tried any more" amount={formatMoney(ages.givenUp, money)}>
          {list(givenUp.rows)}
          {givenUp.more}
        </Group>
      )}
    </>
  )
}

function Group({ title, amount, children }: { title: string; amount: string; children: ReactNode }) {
  return (
    <section className="mt-5">
      <h2 className="flex items-baseline justify-between border-b border-line-2 pb-1 text-[16px]">
        {title} <span>{amount}</span>
      </h2>
      {children}
    </section>
  )
}

/** What is late, or was given up, as far as it was asked for, and the way to more. */
function useLate(standing: 'late' | 'given-up', query: MoneyQuery) {
  const { mode } = useSession()
  const list = useInfiniteQuery({
    queryKey: ['money-late', mode, standing, query],
    initialPageParam: undefined as string | undefined,
    queryFn: ({ pageParam }) => loadLate(standing, pageParam, query),
    getNextPageParam: (page) => page.next ?? undefined,
    placeholderData: keepPreviousData,
  })
  const more = list.hasNextPage ? (
    <Button kind="link" className="py-2" disabled={list.isFetchingNextPage} onClick={() => void list.fetchNextPage()}>
      Show more
    </Button>
  ) : null
  return { rows: list.data?.pages.flatMap((page) => page.payments) ?? [], more }
}

interface PaymentsProps {
  rows: Row[]
  money: MoneyFormat
  chosen: string | null
  choose: (orderId: string) => void
  /** The sums of the whole list, where it may be longer than its rows. */
  total: Month | null
  hasMore: boolean
}

function Payments({ rows, money, chosen, choose, total, hasMore }: PaymentsProps) {
  const head = 'border-b border-line-2 py-1.5 pr-3 text-left text-[12px] font-semibold text-ink-3'
  const sum = (pick: (row: Row) => number) => rows.reduce((all, row) => all + pick(row), 0)
  const say = (amount: number) => formatMoney(amount, money)
  const all = total ?? {
    payments: rows.length,
    expected: sum(({ pay }) => pay),
    received: sum(({ pay, standing }) => (standing === 'received' ? pay : 0)),
    fees: sum(({ fee }) => fee),
    refunds: sum(({ refunded }) => refunded),
  }
  return (
    <div className="overflow-x-auto">
      <table className="w-full text-[13.5px] [&_td]:border-b [&_td]:border-line [&_td]:py-2 [&_td]:pr-3">
        <thead>
          <tr>
            {(
              [
                ['Due', false],
                ['Buyer', false],
                ['For', false],
                ['Expected', true],
                ['Received', true],
                ['State', false],
              ] as const
            ).map(([label, isNumber]) => (
              <th key={label} scope="col" className={classes(head, isNumber && 'text-right')}>
                {label}
              </th>
            ))}
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
                <td className="text-right">
                  {row.standing === 'received' ? formatMoney(row.pay, form) : '–'}
                  <Taken fee={row.fee} refunded={row.refunded} money={form} />
                </td>
                <td>
                  <State shape={shape}>{word}</State>
                </td>
              </tr>
            )
          })}
          {rows.length > 0 && (
            <tr className="font-semibold">
              <td colSpan={3} className="pl-1.5">
                {all.payments} {all.payments === 1 ? 'payment' : 'payments'}
                {hasMore && <span className="font-normal text-ink-3"> ({rows.length} shown)</span>}
              </td>
              <td className="text-right">{say(all.expected)}</td>
              <td className="text-right">
                {say(all.received)}
                <Taken fee={all.fees} refunded={all.refunds} money={money} />
              </td>
              <td />
            </tr>
          )}
        </tbody>
      </table>
      {rows.length === 0 && <p className="py-3 text-ink-2">No payment here.</p>}
    </div>
  )
}

/** What the gateway took of it, and what was given back. */
function Taken({ fee, refunded, money }: { fee: number; refunded: number; money: MoneyFormat }) {
  return (
    <span className="block text-[12px] font-normal text-ink-3">
      {fee > 0 && `fee ${formatMoney(fee, money)}`}
      {refunded > 0 && <span className="block text-ink-2">back {formatMoney(refunded, money)}</span>}
    </span>
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

function csvOf(month: string, query: MoneyQuery): string {
  const [year, number] = month.split('-').map(Number) as [number, number]
  const last = new Date(Date.UTC(year, number, 0)).toISOString().slice(0, 10)
  return `/api/money/payments.csv?${new URLSearchParams({ from: `${month}-01`, until: last, ...query })}`
}
