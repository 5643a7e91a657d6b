import { unwrap } from '../../ui/problem.ts'
import { api } from '../api.ts'
import type { MoneyQuery } from './NarrowTo.tsx'

export const loadMonths = (query: MoneyQuery) => unwrap(api.money.months.$get({ query }))
export type Month = Awaited<ReturnType<typeof loadMonths>>['months'][number]
export type Ages = Awaited<ReturnType<typeof loadMonths>>['ages']
export const loadPayments = (month: string, standing: string | null, after: string | undefined, query: MoneyQuery) =>
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
export const loadLate = (standing: 'late' | 'given-up', after: string | undefined, query: MoneyQuery) =>
  unwrap(api.money.late.$get({ query: { ...query, standing, ...(after ? { after } : {}) } }))
export type Row = Awaited<ReturnType<typeof loadPayments>>['payments'][number]
