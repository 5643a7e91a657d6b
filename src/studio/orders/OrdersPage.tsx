import { useInfiniteQuery, useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { NavLink, useParams } from 'react-router'
import { formatMoney } from '../../core/money/format.ts'
import { classes } from '../../ui/classes.ts'
import { sayMoment } from '../../ui/dates.ts'
import { unwrap } from '../../ui/problem.ts'
import { State } from '../../ui/State.tsx'
import { api } from '../api.ts'
import { Places } from '../frame/Places.tsx'
import { ShowMore } from '../frame/ShowMore.tsx'
import { useSession } from '../session/session.ts'
import { AttentionList } from './AttentionList.tsx'
import { OrderBench, OrderMirror, useOrder } from './OrderBench.tsx'
import { orderState, sayToday } from './words.ts'

const STATES = [
  ['all', 'All'],
  ['paid', 'Paid'],
  ['open', 'Not paid'],
  ['paying', 'Being paid'],
] as const
type Filter = (typeof STATES)[number][0]

/** Orders: the list, one order, and what happened to it. */
export function OrdersPage() {
  const { id } = useParams()
  const order = useOrder(id)
  return (
    <Places
      shelfLabel="Orders"
      columns="lg:grid-cols-[336px_minmax(0,1fr)_330px]"
      shelf={<OrderList />}
      bench={
        id ? (
          order.data ? (
            <OrderBench order={order.data} />
          ) : (
            <p className="py-10 text-ink-2">{order.error?.message}</p>
          )
        ) : (
          <OrdersSum />
        )
      }
      mirror={order.data && id ? <OrderMirror order={order.data} /> : null}
    />
  )
}

function OrderList() {
  const { school, mode } = useSession()
  const [search, setSearch] = useState('')
  const [state, setState] = useState<Filter>('all')
  const list = useInfiniteQuery({
    queryKey: ['orders', mode, search, state],
    initialPageParam: undefined as number | undefined,
    queryFn: ({ pageParam }) =>
      unwrap(
        api.orders.$get({
          query: { search, state, ...(pageParam === undefined ? {} : { before: String(pageParam) }) },
        }),
      ),
    getNextPageParam: (page) => page.next ?? undefined,
  })
  const orders = list.data?.pages.flatMap((page) => page.orders) ?? []
  return (
    <>
      <div className="grid gap-2 px-1.5 pb-2">
        <h2 className="text-[15px]">Orders</h2>
        <input
          type="search"
          aria-label="Search orders"
          placeholder="Number, buyer, course"
          value={search}
          onChange={(event) => setSearch(event.target.value)}
          className="w-full rounded-full border border-line-2 bg-transparent px-3 py-1 text-[13px]"
        />
        <div role="group" aria-label="Filter by state" className="flex gap-1">
          {STATES.map(([key, label]) => (
            <button
              key={key}
              type="button"
              aria-pressed={state === key}
              onClick={() => setState(key)}
              className={classes(
                'rounded-full border px-2 py-0.5 text-[12.5px]',
                state === key ? 'border-ink bg-ink font-semibold text-sheet' : 'border-line-2 text-ink-2',
              )}
            >
              {label}
            </button>
          ))}
        </div>
      </div>
      <ul>
        {orders.map((order) => {
          const [shape, word] = orderState(order)
          return (
            <li key={order.id}>
              <NavLink
                to={`/studio/orders/${order.id}`}
                className={({ isActive }) =>
                  classes(
                    'grid grid-cols-[1fr_auto] gap-x-3 rounded-field px-2 py-1.5 text-[13px]',
                    isActive ? 'bg-acorn' : 'hover:bg-sheet-2',
                  )
                }
              >
                <span className="truncate font-semibold">
                  {order.number} · {order.buyer}
                </span>
                <span className="justify-self-end font-semibold">{sayToday(order, school)}</span>
                <span className="truncate text-ink-2">{order.course}</span>
                <span className="justify-self-end">
                  <State shape={shape}>{word}</State>
                </span>
                <time dateTime={order.createdAt} className="text-[12px] text-ink-2">
                  {sayMoment(order.createdAt, school.timeZone)}
                </time>
              </NavLink>
            </li>
          )
        })}
      </ul>
      {list.isSuccess && orders.length === 0 && (
        <p className="px-2 text-ink-2">
          {search || state !== 'all'
            ? 'No order is like that.'
            : `No orders in ${mode === 'practice' ? 'Practice' : 'Live'} yet. Buy one of your own courses to see how it goes.`}
        </p>
      )}
      <ShowMore list={list} label="Show older orders" className="px-2 py-2" />
    </>
  )
}

function OrdersSum() {
  const { school, mode } = useSession()
  const sum = useQuery({ queryKey: ['orders-sum', mode], queryFn: () => unwrap(api.orders.sum.$get()) })
  if (!sum.data) return null
  const { paid, open, received, fees, refunds } = sum.data
  return (
    <>
      <h1 className="text-[27px]">Orders in {mode === 'practice' ? 'Practice' : 'Live'}</h1>
      <p className="display mt-2 text-[18px] leading-[1.45] font-medium text-ink-2">
        <b className="text-ink">{paid}</b> {paid === 1 ? 'order is' : 'orders are'} paid,{' '}
        <b className="text-ink">{open}</b> {open === 1 ? 'is' : 'are'} not.{' '}
        <b className="text-ink">{formatMoney(received, school)}</b> came,{' '}
        <b className="text-ink">{formatMoney(received - fees - refunds, school)}</b> after fees
        {refunds > 0 && ' and what was given back'}.
      </p>
      <AttentionList />
    </>
  )
}
