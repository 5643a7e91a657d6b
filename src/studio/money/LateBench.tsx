import { keepPreviousData, useInfiniteQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { formatMoney, type MoneyFormat } from '../../core/money/format.ts'
import { ShowMore } from '../frame/ShowMore.tsx'
import { useSession } from '../session/session.ts'
import type { MoneyQuery } from './NarrowTo.tsx'
import { PaymentsTable } from './PaymentsTable.tsx'
import { type Ages, loadLate, type Row } from './queries.ts'

interface LateBenchProps {
  ages: Ages
  money: MoneyFormat
  query: MoneyQuery
  chosen: string | null
  choose: (orderId: string) => void
}

/** Everything overdue, by its age, with what happens next; and what is owed and not retried. */
export function LateBench({ ages, money, query, chosen, choose }: LateBenchProps) {
  const late = useLate('late', query)
  const givenUp = useLate('given-up', query)
  const rows = late.rows
  const groups: [string, number, Row[]][] = [
    ['More than a month', ages.older, rows.filter((row) => row.daysLate > 30)],
    ['A week to a month', ages.upToAMonth, rows.filter((row) => row.daysLate > 7 && row.daysLate <= 30)],
    ['Up to a week', ages.upToAWeek, rows.filter((row) => row.daysLate <= 7)],
  ]
  const sum = ages.upToAWeek + ages.upToAMonth + ages.older
  const list = (of: Row[]) => (
    <PaymentsTable rows={of} money={money} chosen={chosen} choose={choose} total={null} hasMore={false} />
  )
  return (
    <>
      <h1 className="text-[27px]">{sum === 0 && ages.givenUp > 0 ? 'Stopped' : 'Overdue'}</h1>
      <p className="display mt-2 text-[18px] leading-[1.45] font-medium text-ink-2">
        {sum === 0 ? (
          'Nothing is overdue.'
        ) : (
          <>
            <b className="text-ink">{formatMoney(sum, money)}</b> is overdue and still retried.
          </>
        )}
        {ages.givenUp > 0 && (
          <>
            {' '}
            <b className="text-ink">{formatMoney(ages.givenUp, money)}</b> is still owed, and not retried any more.
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
        <Group title="Stopped: owed, and not retried any more" amount={formatMoney(ages.givenUp, money)}>
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
function useLate(status: 'late' | 'given-up', query: MoneyQuery) {
  const { mode } = useSession()
  const list = useInfiniteQuery({
    queryKey: ['money-late', mode, status, query],
    initialPageParam: undefined as string | undefined,
    queryFn: ({ pageParam }) => loadLate(status, pageParam, query),
    getNextPageParam: (page) => page.next ?? undefined,
    placeholderData: keepPreviousData,
  })
  return { rows: list.data?.pages.flatMap((page) => page.payments) ?? [], more: <ShowMore list={list} /> }
}
