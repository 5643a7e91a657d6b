import { keepPreviousData, useInfiniteQuery, useQuery } from '@tanstack/react-query'
import { Link, useSearchParams } from 'react-router'
import { formatMoney, type MoneyFormat } from '../../core/money/format.ts'
import { Button, buttonClass } from '../../ui/Button.tsx'
import { classes } from '../../ui/classes.ts'
import { StateMark } from '../../ui/State.tsx'
import { Places, Reflection } from '../frame/Places.tsx'
import { OrderMirror, useOrder } from '../orders/OrderBench.tsx'
import { useMoney, useSession } from '../session/session.ts'
import { LateBench } from './LateBench.tsx'
import { type MoneyQuery, NarrowTo, queryOf } from './NarrowTo.tsx'
import { Outlook } from './Outlook.tsx'
import { PaymentsTable } from './PaymentsTable.tsx'
import { type Ages, loadMonths, loadPayments, type Month, type Row } from './queries.ts'

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
      <PaymentsTable
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
