import { keepPreviousData, useInfiniteQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { NavLink, useParams, useSearchParams } from 'react-router'
import type { MoneyFormat } from '../../core/money/format.ts'
import { Button } from '../../ui/Button.tsx'
import { classes } from '../../ui/classes.ts'
import { formatMoment } from '../../ui/dates.ts'
import { unwrap } from '../../ui/problem.ts'
import { State } from '../../ui/State.tsx'
import { api } from '../api.ts'
import { DayField } from '../days/DayField.tsx'
import { EndlessList } from '../frame/EndlessList.tsx'
import { Places } from '../frame/Places.tsx'
import { Select } from '../frame/Select.tsx'
import { Waiting } from '../frame/Waiting.tsx'
import { NarrowBy } from '../sell/NarrowBy.tsx'
import { useSession, useStudioToday } from '../session/session.ts'
import { OrderBench } from './OrderBench.tsx'
import { OrderMirror } from './OrderMirror.tsx'
import { OrdersStart, RecentDays } from './OrdersStart.tsx'
import { useOrder } from './order.ts'
import { formatWorth, orderState } from './words.ts'

const FILTERS = [
  ['all', 'All'],
  ['paid', 'Paid'],
  ['waiting', 'Waiting'],
  ['late', 'Late'],
  ['refunded', 'Refunded'],
  ['unpaid', 'Not paid'],
] as const
type Filter = (typeof FILTERS)[number][0]

/** What the list is narrowed to, in the address, so that it stays when the page is loaded anew. */
function useNarrowed() {
  const [params, setParams] = useSearchParams()
  const state = FILTERS.find(([key]) => key === params.get('state'))?.[0] ?? ('all' as Filter)
  const query: Record<string, string> = { state }
  for (const name of ['search', 'course', 'coupon', 'role', 'from', 'until']) {
    const value = params.get(name)
    if (value) query[name] = value
  }
  const narrow = (change: Record<string, string | null>) =>
    setParams(
      (now) => {
        const next = new URLSearchParams(now)
        for (const [name, value] of Object.entries(change)) value ? next.set(name, value) : next.delete(name)
        return next
      },
      { replace: true },
    )
  return { params, query: query as Parameters<typeof api.orders.$get>[0]['query'], state, narrow }
}

/** Orders: the list, one order, and what happened to it. */
export function OrdersPage() {
  const { id } = useParams()
  const order = useOrder(id)
  return (
    <Places
      shelfLabel="Orders"
      columns="lg:grid-cols-[336px_minmax(0,1fr)_330px]"
      shelf={<OrderList />}
      bench={id ? order.data ? <OrderBench order={order.data} /> : <Waiting error={order.error} /> : <OrdersStart />}
      mirror={id ? order.data && <OrderMirror order={order.data} /> : <RecentDays />}
    />
  )
}

function OrderList() {
  const { school, mode } = useSession()
  const today = useStudioToday()
  const { params, query, state, narrow } = useNarrowed()
  const list = useInfiniteQuery({
    queryKey: ['orders', mode, query],
    initialPageParam: undefined as number | undefined,
    queryFn: ({ pageParam }) =>
      unwrap(
        api.orders.$get({ query: { ...query, ...(pageParam === undefined ? {} : { before: String(pageParam) }) } }),
      ),
    getNextPageParam: (page) => page.next ?? undefined,
    placeholderData: keepPreviousData,
  })
  const orders = list.data?.pages.flatMap((page) => page.orders) ?? []
  const isNarrowed = Object.keys(query).length > 1 || state !== 'all'
  const [isNarrowing, setNarrowing] = useState(
    ['course', 'coupon', 'role', 'from', 'until'].some((name) => params.has(name)),
  )
  const back = params.toString()
  return (
    <>
      <div className="grid gap-2 px-1.5 pb-2">
        <div className="flex items-baseline justify-between gap-3">
          <h2 className="text-[15px]">Orders</h2>
          <span className="flex gap-3 text-[13px]">
            {(
              [
                ['orders', 'Export CSV'],
                ['items', 'By item'],
              ] as const
            ).map(([file, label]) => (
              <a
                key={file}
                className="link"
                href={`/api/orders/${file}.csv?${new URLSearchParams(query as Record<string, string>)}`}
                download
              >
                {label}
              </a>
            ))}
          </span>
        </div>
        <input
          type="search"
          aria-label="Search orders"
          placeholder="Number, buyer, course, reference, amount"
          defaultValue={query.search ?? ''}
          maxLength={100}
          onChange={(event) => narrow({ search: event.target.value })}
          className="w-full rounded-full border border-line-2 bg-transparent px-3 py-1 text-[13px]"
        />
        <div role="group" aria-label="Filter by state" className="flex flex-wrap gap-1">
          {FILTERS.map(([key, label]) => (
            <button
              key={key}
              type="button"
              aria-pressed={state === key}
              onClick={() => narrow({ state: key === 'all' ? null : key })}
              className={classes(
                'rounded-full border px-2 py-0.5 text-[12.5px]',
                state === key ? 'border-ink bg-ink font-semibold text-sheet' : 'border-line-2 text-ink-2',
              )}
            >
              {label}
            </button>
          ))}
        </div>
        {isNarrowing ? (
          <div className="grid gap-1.5 text-[13px]">
            <NarrowBy course={query.course} coupon={query.coupon} narrow={narrow} />
            <Select
              label="How it was sold"
              className="w-full rounded-field border border-line-2 bg-transparent px-2 py-1"
              value={query.role ?? ''}
              options={[
                ['', 'However it was sold'],
                ['bump', 'With an order bump'],
                ['upsell', 'As an upsell'],
              ]}
              onChange={(role) => narrow({ role })}
            />
            <p className="flex flex-wrap items-baseline gap-x-2 gap-y-1">
              {(['from', 'until'] as const).map((name) => (
                <span key={name} className="flex items-baseline gap-1.5">
                  {name}
                  <DayField
                    value={query[name] ?? ''}
                    language={school.language}
                    today={today}
                    className="rounded-field border border-line-2 px-2"
                    wiring={{ 'aria-label': name === 'from' ? 'Ordered from' : 'Ordered until' }}
                    onChange={(day) => narrow({ [name]: day })}
                  />
                </span>
              ))}
            </p>
            <Button
              kind="link"
              className="justify-self-start"
              onClick={() => {
                setNarrowing(false)
                narrow({ course: null, coupon: null, role: null, from: null, until: null })
              }}
            >
              All of them
            </Button>
          </div>
        ) : (
          <Button kind="link" className="justify-self-start text-[13px]" onClick={() => setNarrowing(true)}>
            By course, coupon or day…
          </Button>
        )}
      </div>
      <EndlessList label="Orders" narrowed={JSON.stringify([mode, query])} list={list} moreLabel="Show older orders">
        {orders.map((order) => (
          <li key={order.id}>
            <NavLink
              to={`/studio/orders/${order.id}${back ? `?${back}` : ''}`}
              className={({ isActive }) =>
                classes(
                  'grid grid-cols-[1fr_auto] gap-x-3 rounded-field px-2 py-1.5 text-[13px]',
                  isActive ? 'bg-acorn' : 'hover:bg-sheet-2',
                )
              }
            >
              <OrderRow order={order} money={school} />
            </NavLink>
          </li>
        ))}
      </EndlessList>
      {list.isPending && <Waiting />}
      {list.error && (
        <p role="alert" className="px-2 text-failed">
          {list.error.message}
        </p>
      )}
      {list.isSuccess && orders.length === 0 && (
        <p className="px-2 text-ink-2">
          {isNarrowed
            ? 'No orders match.'
            : `No orders in ${mode === 'practice' ? 'Practice' : 'Live'} yet. Buy one of your own courses to see how it goes.`}
        </p>
      )}
    </>
  )
}

type ListedOrder = Awaited<ReturnType<typeof loadLatest>>['orders'][number]
const loadLatest = () => unwrap(api.orders.$get({ query: { search: '', state: 'all' } }))

/** An order in a list: its number and buyer, what it came to, what it is of, and how it stands. */
function OrderRow({ order, money }: { order: ListedOrder; money: MoneyFormat & { timeZone: string } }) {
  const [shape, word] = orderState(order, money)
  return (
    <>
      <span className="truncate font-semibold">
        {order.number} · {order.buyer}
      </span>
      <span className="justify-self-end font-semibold">{formatWorth(order, money)}</span>
      <span className="col-span-2 truncate text-ink-2">{order.course}</span>
      <span className="col-span-2 flex flex-wrap items-baseline justify-between gap-x-3">
        <time dateTime={order.createdAt} className="text-[12px] text-ink-2">
          {formatMoment(order.createdAt, money.timeZone)}
        </time>
        <State shape={shape}>{word}</State>
      </span>
    </>
  )
}
