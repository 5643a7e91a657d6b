import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { Link, useSearchParams } from 'react-router'
import { Button, buttonClass } from '../../ui/Button.tsx'
import { Places, PreviewSection } from '../frame/Places.tsx'
import { Waiting } from '../frame/Waiting.tsx'
import { OrderMirror } from '../orders/OrderMirror.tsx'
import { useOrder } from '../orders/order.ts'
import { useMoney, useSession } from '../session/session.ts'
import { AccountsBench } from './AccountsBench.tsx'
import { LateBench } from './LateBench.tsx'
import { Months } from './Months.tsx'
import { queryOf } from './NarrowTo.tsx'
import { Outlook } from './Outlook.tsx'
import { loadMonths, type Month, useAccounts, useSpan } from './queries.ts'
import { SpanBench } from './SpanBench.tsx'
import { spanIn } from './span.ts'

const isEmpty = (months: readonly Month[]) =>
  months.every((month) => month.expected === 0 && month.received === 0 && month.givenBack === 0)

/** Before the first sale: what will stand here, and the way there. */
function BeforeMoney() {
  const { mode } = useSession()
  return (
    <>
      <h1 className="text-[27px]">Money in {mode === 'practice' ? 'Practice' : 'Live'}</h1>
      <p className="mt-2 max-w-[60ch] text-ink-2">
        From the first sale on, each month stands here with what was due, what was received, fees and tax, what is
        overdue, and what is still to come, down to each payment. You can export it for your bookkeeping.
      </p>
      <p className="mt-3">
        <Link className={buttonClass('press')} to="/studio/sell?steps">
          The way to the first sale
        </Link>
      </p>
    </>
  )
}

/** Money: what was received and what is due, of any span and by month, down to each payment; what is overdue; where the money is. */
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
  const isAccounts = params.get('view') === 'accounts'
  const span = isLate || isAccounts || !months.data ? null : spanIn(params, months.data.today)
  const accounts = useAccounts(isAccounts)
  const sums = useSpan(span, query)
  const order = useOrder(params.get('order') ?? undefined)
  /** Changes what is looked at, and keeps what it is narrowed to. */
  const go = (change: Record<string, string | null>) => {
    const next = new URLSearchParams(params)
    for (const [name, value] of Object.entries(change)) {
      if (value === null || value === '') next.delete(name)
      else next.set(name, value)
    }
    // Days are chosen, so it is no longer all that is overdue, or where the money is; a calendar stays one.
    if ((isLate || isAccounts) && 'month' in change && change.view === undefined) next.delete('view')
    setParams(next)
  }
  const chooseOrder = (orderId: string) => go({ order: orderId })
  const error = months.error ?? sums.error ?? accounts.error
  if (months.data && isEmpty(months.data.months) && params.size === 0) {
    return <Places shelfLabel="Months" shelf={null} bench={<BeforeMoney />} mirror={null} />
  }
  return (
    <Places
      shelfLabel="Months"
      columns="lg:grid-cols-[216px_minmax(0,1fr)_346px]"
      shelf={
        <Months
          months={months.data?.months ?? []}
          today={months.data?.today ?? ''}
          isLate={isLate}
          isAccounts={isAccounts}
          span={span}
          complaint={sums.complaint}
          ages={months.data?.ages ?? null}
          go={go}
          query={query}
        />
      }
      bench={
        <>
          {!error && !(isLate ? months.data : isAccounts ? accounts.data : span && sums.data) && <Waiting lines={6} />}
          {isAccounts && accounts.data && months.data && (
            <AccountsBench accounts={accounts.data} money={money} today={months.data.today} />
          )}
          {isLate && months.data && (
            <LateBench
              ages={months.data.ages}
              money={money}
              query={query}
              chosen={params.get('order')}
              choose={chooseOrder}
            />
          )}
          {span && sums.data && (
            <SpanBench
              span={span}
              sums={sums.data}
              money={money}
              query={query}
              params={params}
              go={go}
              choose={chooseOrder}
            />
          )}
          {error && (
            <p role="alert" className="text-failed">
              {error.message}
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
            <PreviewSection label="A year back, a year ahead">
              <Outlook months={months.data.months} today={months.data.today} money={money} />
            </PreviewSection>
          )
        )
      }
    />
  )
}
