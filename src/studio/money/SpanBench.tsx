import { keepPreviousData, type UseInfiniteQueryResult, useInfiniteQuery } from '@tanstack/react-query'
import { type ReactNode, useRef } from 'react'
import { formatDay } from '../../core/calendar/formatDay.ts'
import type { MoneyFormat } from '../../core/money/format.ts'
import { Button, buttonClass } from '../../ui/Button.tsx'
import { classes } from '../../ui/classes.ts'
import { useScrollPlace, walk } from '../frame/EndlessList.tsx'
import { ShowMore } from '../frame/ShowMore.tsx'
import { Waiting } from '../frame/Waiting.tsx'
import { useSession } from '../session/session.ts'
import { type DueList, type ListOf, listIn } from './lists.ts'
import { MoneyCalendar } from './MoneyCalendar.tsx'
import { MonthTable } from './MonthTable.tsx'
import { MovementsTable } from './MovementsTable.tsx'
import type { MoneyQuery } from './NarrowTo.tsx'
import { PaymentsTable } from './PaymentsTable.tsx'
import { ProductTable } from './ProductTable.tsx'
import { type DaySums, loadMovements, loadPayments, type SpanData, type Sums } from './queries.ts'
import { SpanSums } from './SpanSums.tsx'
import { type DaySpan, formatSpan, monthOf } from './span.ts'

interface SpanBenchProps {
  span: DaySpan
  sums: SpanData
  money: MoneyFormat
  query: MoneyQuery
  params: URLSearchParams
  go: (change: Record<string, string | null>) => void
  choose: (orderId: string) => void
}

/** The days that are looked at: their two sentences, each figure of which opens what it is made of, and their lists. */
export function SpanBench({ span, sums, money, query, params, go, choose }: SpanBenchProps) {
  const list = listIn(params)
  const month = monthOf(span)
  const isCalendar = month !== null && params.get('view') === 'calendar'
  const day = isCalendar ? params.get('day') : null
  const isMoved = list === 'received' || list === 'products'
  const file = new URLSearchParams({ ...span, ...query, ...(list && !isMoved ? { status: list } : {}) })
  const open = (wanted: ListOf | null) =>
    go({ list: wanted, order: null, day: null, ...(isCalendar ? { view: null } : {}) })
  const lists = { money, query, chosen: params.get('order'), choose }
  return (
    <>
      <div className="flex flex-wrap items-start justify-between gap-3">
        <h1 className="text-[27px]">{formatSpan(span)}</h1>
        <p className="flex flex-wrap gap-2">
          {month && (
            <Button onClick={() => go({ view: isCalendar ? null : 'calendar', day: null, list: null })}>
              {isCalendar ? 'As a list' : 'As a calendar'}
            </Button>
          )}
          <a
            className={buttonClass('quiet')}
            href={`/api/money/${isMoved ? 'movements' : 'payments'}.csv?${file}`}
            title={isMoved ? 'Money that moved in this period' : 'Payments due in this period'}
            download
          >
            Export CSV
          </a>
          <a
            className={buttonClass('quiet')}
            href="/api/money/to-come.ics"
            title="What is to come in the 12 months from today, for a calendar program"
            download
          >
            Export .ics
          </a>
        </p>
      </div>
      <p className="display mt-2 mb-3 text-[18px] leading-[1.45] font-medium text-ink-2">
        <SpanSums sums={sums.total} money={money} open={open} />
      </p>
      {isCalendar && (
        <MoneyCalendar
          month={month}
          days={sums.days}
          today={sums.today}
          money={money}
          chosen={day}
          choose={(chosen) => go({ day: chosen, order: null })}
        />
      )}
      {isCalendar && !day && <p className="mt-3 text-[13.5px] text-ink-2">Choose a day to see its money.</p>}
      {day && <OneDay day={day} sums={sums.days.find((other) => other.day === day)} {...lists} />}
      {!isCalendar && (
        <>
          <fieldset className="mb-3 flex flex-wrap gap-2">
            <legend className="sr-only">What is listed</legend>
            <Tab isChosen={list === 'received'} choose={() => open('received')}>
              Received and refunded
            </Tab>
            <Tab isChosen={list === 'products'} choose={() => open('products')}>
              By what was sold
            </Tab>
            <Tab isChosen={!isMoved} choose={() => open(null)}>
              Due
            </Tab>
          </fieldset>
          {sums.months.length > 1 && list !== 'products' && (
            <MonthTable isMoved={list === 'received'} span={span} sums={sums} money={money} go={go} />
          )}
          {list === 'products' && (
            <ProductTable
              span={span}
              query={query}
              money={money}
              by={params.get('by') === 'course' ? 'course' : 'product'}
              go={go}
            />
          )}
          {list === 'received' && <Movements span={span} {...lists} />}
          {!isMoved && (
            <>
              {list && (
                <p className="mb-2 flex flex-wrap items-baseline gap-x-3 text-[13.5px]">
                  Only what {LIST_WORDS[list]}.
                  <Button kind="link" onClick={() => go({ list: null })}>
                    Show all
                  </Button>
                </p>
              )}
              <Payments span={span} status={list} total={list ? null : sums.total} {...lists} />
            </>
          )}
        </>
      )}
    </>
  )
}

function Tab({ isChosen, choose, children }: { isChosen: boolean; choose: () => void; children: string }) {
  return (
    <button
      type="button"
      aria-pressed={isChosen}
      onClick={choose}
      className={classes(
        'rounded-full border px-3 py-1 text-[13.5px] font-medium',
        isChosen ? 'border-acorn bg-acorn' : 'border-line-2 hover:bg-sheet-2',
      )}
    >
      {children}
    </button>
  )
}

const LIST_WORDS: Record<DueList, string> = {
  paid: 'is paid',
  awaited: 'is on its way',
  late: 'is overdue',
  'given-up': 'is owed, not retried',
  'to-come': 'is still to come',
}

interface ListProps {
  money: MoneyFormat
  query: MoneyQuery
  chosen: string | null
  choose: (orderId: string) => void
}

/** A day of the calendar: what moved on it, and what is due on it. */
function OneDay({ day, sums, ...lists }: ListProps & { day: string; sums: DaySums | undefined }) {
  const span = { from: day, until: day }
  const heading = 'mt-4 mb-1 text-[15px]'
  return (
    <>
      <h2 className="mt-5 text-[17px]">{formatDay(day, lists.money.language)}</h2>
      <h3 className={heading}>Received and refunded</h3>
      <Movements span={span} {...lists} />
      <h3 className={heading}>Due</h3>
      <Payments span={span} status={null} total={sums ?? null} {...lists} />
    </>
  )
}

interface PaymentsProps extends ListProps {
  span: DaySpan
  status: DueList | null
  total: Sums | null
}

/** The payments due in a span, a page at a time. */
function Payments({ span, status, money, query, chosen, choose, total }: PaymentsProps) {
  const { mode } = useSession()
  const list = useInfiniteQuery({
    queryKey: ['money-payments', mode, span, status, query],
    initialPageParam: undefined as string | undefined,
    queryFn: ({ pageParam }) => loadPayments(span, status, pageParam, query),
    getNextPageParam: (page) => page.next ?? undefined,
    placeholderData: keepPreviousData,
  })
  const rows = list.data?.pages.flatMap((page) => page.payments) ?? []
  return (
    <Listed list={list} label={`payments ${JSON.stringify([mode, span, status, query])}`}>
      <PaymentsTable
        rows={rows}
        money={money}
        chosen={chosen}
        choose={choose}
        total={total}
        hasMore={list.hasNextPage}
      />
    </Listed>
  )
}

/** What moved in a span, a page at a time. */
function Movements({ span, money, query, chosen, choose }: ListProps & { span: DaySpan }) {
  const { mode } = useSession()
  const list = useInfiniteQuery({
    queryKey: ['money-movements', mode, span, query],
    initialPageParam: undefined as string | undefined,
    queryFn: ({ pageParam }) => loadMovements(span, pageParam, query),
    getNextPageParam: (page) => page.next ?? undefined,
    placeholderData: keepPreviousData,
  })
  const rows = list.data?.pages.flatMap((page) => page.movements) ?? []
  return (
    <Listed list={list} label={`movements ${JSON.stringify([mode, span, query])}`}>
      <MovementsTable rows={rows} money={money} chosen={chosen} choose={choose} />
    </Listed>
  )
}

/** A table that goes on by itself, keeps its place and takes the arrow keys. */
function Listed({
  list,
  label,
  children,
}: {
  list: UseInfiniteQueryResult<{ pages: unknown[] }>
  label: string
  children: ReactNode
}) {
  const table = useRef<HTMLDivElement>(null)
  useScrollPlace(`place of ${label}`, table, list)
  // Empty is said only once it is known to be.
  if (list.isPending) return <Waiting lines={5} />
  return (
    <>
      {/* biome-ignore lint/a11y/noStaticElementInteractions: its buttons take the keys; this hears them once */}
      <div ref={table} onKeyDown={(event) => walk(event, table.current, 'tbody button')}>
        {children}
      </div>
      {list.error && (
        <p role="alert" className="text-failed">
          {list.error.message}
        </p>
      )}
      <ShowMore list={list} />
    </>
  )
}
