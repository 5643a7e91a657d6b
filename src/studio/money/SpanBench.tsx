import { keepPreviousData, useInfiniteQuery } from '@tanstack/react-query'
import { useRef } from 'react'
import { sayDay } from '../../core/calendar/sayDay.ts'
import type { MoneyFormat } from '../../core/money/format.ts'
import { Button, buttonClass } from '../../ui/Button.tsx'
import { useKeptPlace, walk } from '../frame/EndlessList.tsx'
import { ShowMore } from '../frame/ShowMore.tsx'
import { Waiting } from '../frame/Waiting.tsx'
import { useSession } from '../session/session.ts'
import { MoneyCalendar } from './MoneyCalendar.tsx'
import { MonthTable } from './MonthTable.tsx'
import type { MoneyQuery } from './NarrowTo.tsx'
import { PaymentsTable } from './PaymentsTable.tsx'
import { loadPayments, type SpanData, type Sums } from './queries.ts'
import { SpanSums } from './SpanSums.tsx'
import { type DaySpan, monthOf, saySpan } from './span.ts'

interface SpanBenchProps {
  span: DaySpan
  sums: SpanData
  money: MoneyFormat
  query: MoneyQuery
  params: URLSearchParams
  go: (change: Record<string, string | null>) => void
  choose: (orderId: string) => void
}

/** The days that are looked at: their sentence, each figure of which opens what it is made of, and their payments. */
export function SpanBench({ span, sums, money, query, params, go, choose }: SpanBenchProps) {
  const standing = params.get('standing')
  const month = monthOf(span)
  const isCalendar = month !== null && params.get('view') === 'calendar'
  const day = isCalendar ? params.get('day') : null
  const ofDay = sums.days.find((other) => other.day === day)
  return (
    <>
      <div className="flex flex-wrap items-start justify-between gap-3">
        <h1 className="text-[27px]">{saySpan(span)}</h1>
        <p className="flex flex-wrap gap-2">
          {month && (
            <Button onClick={() => go({ view: isCalendar ? null : 'calendar', day: null, standing: null })}>
              {isCalendar ? 'As a list' : 'As a calendar'}
            </Button>
          )}
          <a
            className={buttonClass('quiet')}
            href={`/api/money/payments.csv?${new URLSearchParams({ ...span, ...query, ...(standing ? { standing } : {}) })}`}
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
        <SpanSums
          sums={sums.total}
          money={money}
          open={(wanted) => go({ standing: wanted, order: null, day: null, ...(isCalendar ? { view: null } : {}) })}
        />
      </p>
      {sums.months.length > 1 && <MonthTable span={span} sums={sums} money={money} go={go} />}
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
      {standing && (
        <p className="mb-2 flex flex-wrap items-baseline gap-x-3 text-[13.5px]">
          Only what {STANDING_WORDS[standing] ?? standing}.
          <Button kind="link" onClick={() => go({ standing: null })}>
            Show all
          </Button>
        </p>
      )}
      {isCalendar && !day && sums.total.payments > 0 && (
        <p className="mt-3 text-[13.5px] text-ink-2">Choose a day to see its payments.</p>
      )}
      {day && <h2 className="mt-5 mb-1 text-[17px]">{sayDay(day, 'en-GB')}</h2>}
      {(!isCalendar || day) && (
        <Payments
          span={day ? { from: day, until: day } : span}
          standing={standing}
          money={money}
          query={query}
          chosen={params.get('order')}
          choose={choose}
          total={standing ? null : day ? (ofDay ?? null) : sums.total}
        />
      )}
    </>
  )
}

const STANDING_WORDS: Record<string, string> = {
  received: 'was received',
  awaited: 'is awaited',
  late: 'is late',
  'given-up': 'is owed and not tried any more',
  'to-come': 'is still to come',
}

interface PaymentsProps {
  span: DaySpan
  standing: string | null
  money: MoneyFormat
  query: MoneyQuery
  chosen: string | null
  choose: (orderId: string) => void
  total: Sums | null
}

/** The payments of a span, a page at a time. */
function Payments({ span, standing, money, query, chosen, choose, total }: PaymentsProps) {
  const { mode } = useSession()
  const list = useInfiniteQuery({
    queryKey: ['money-payments', mode, span, standing, query],
    initialPageParam: undefined as string | undefined,
    queryFn: ({ pageParam }) => loadPayments(span, standing, pageParam, query),
    getNextPageParam: (page) => page.next ?? undefined,
    placeholderData: keepPreviousData,
  })
  const rows = list.data?.pages.flatMap((page) => page.payments) ?? []
  const table = useRef<HTMLDivElement>(null)
  useKeptPlace(`place of payments ${JSON.stringify([mode, span, standing, query])}`, table, list)
  // Empty is said only once it is known to be.
  if (list.isPending) return <Waiting lines={5} />
  return (
    <>
      {/* biome-ignore lint/a11y/noStaticElementInteractions: its buttons take the keys; this hears them once */}
      <div ref={table} onKeyDown={(event) => walk(event, table.current, 'tbody button')}>
        <PaymentsTable
          rows={rows}
          money={money}
          chosen={chosen}
          choose={choose}
          total={total}
          hasMore={list.hasNextPage}
        />
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
