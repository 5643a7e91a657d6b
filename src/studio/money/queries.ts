import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { ApiError, unwrap } from '../../ui/problem.ts'
import { api } from '../api.ts'
import { useSession } from '../session/session.ts'
import type { DueList } from './lists.ts'
import type { MoneyQuery } from './NarrowTo.tsx'
import type { DaySpan } from './span.ts'

export const loadMonths = (query: MoneyQuery) => unwrap(api.money.months.$get({ query }))
export type Month = Awaited<ReturnType<typeof loadMonths>>['months'][number]
export type Ages = Awaited<ReturnType<typeof loadMonths>>['ages']

const loadSpan = (span: DaySpan, query: MoneyQuery) => unwrap(api.money.span.$get({ query: { ...span, ...query } }))
export type SpanData = Awaited<ReturnType<typeof loadSpan>>
export type Sums = SpanData['total']
export type DaySums = SpanData['days'][number]

/** What a span comes to; where the server does not take its days, what it says of them. */
export function useSpan(span: DaySpan | null, query: MoneyQuery) {
  const { mode } = useSession()
  const { data, error } = useQuery({
    queryKey: ['money-span', mode, span, query],
    queryFn: () => loadSpan(span as DaySpan, query),
    enabled: span !== null,
    placeholderData: keepPreviousData,
  })
  const complaint = error instanceof ApiError ? (error.at('/until') ?? error.at('/from') ?? null) : null
  return { data, error: complaint ? null : error, complaint }
}

export const loadPayments = (span: DaySpan, status: DueList | null, after: string | undefined, query: MoneyQuery) =>
  unwrap(
    api.money.payments.$get({
      query: {
        ...span,
        ...query,
        ...(status ? { status } : {}),
        ...(after ? { after } : {}),
      },
    }),
  )
export const loadMovements = (span: DaySpan, after: string | undefined, query: MoneyQuery) =>
  unwrap(api.money.movements.$get({ query: { ...span, ...query, ...(after ? { after } : {}) } }))
export type MovementRow = Awaited<ReturnType<typeof loadMovements>>['movements'][number]

/** What every account holds, and the payouts that were entered. */
export function useAccounts(isWanted: boolean) {
  const { mode } = useSession()
  const load = () => unwrap(api.money.accounts.$get())
  return useQuery({ queryKey: ['money-accounts', mode], queryFn: load, enabled: isWanted })
}
export type Accounts = NonNullable<ReturnType<typeof useAccounts>['data']>
export const loadLate = (status: 'late' | 'given-up', after: string | undefined, query: MoneyQuery) =>
  unwrap(api.money.late.$get({ query: { ...query, status, ...(after ? { after } : {}) } }))
export type Row = Awaited<ReturnType<typeof loadPayments>>['payments'][number]

/** What moved in a span by what was sold. */
export function useProductSums(span: DaySpan, query: MoneyQuery, by: 'product' | 'course') {
  const { mode } = useSession()
  return useQuery({
    queryKey: ['money-products', mode, span, query, by],
    queryFn: () => unwrap(api.money.products.$get({ query: { ...span, ...query, by } })),
    placeholderData: keepPreviousData,
  })
}
