import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { formatDayShort } from '../../core/calendar/formatDay.ts'
import { formatMoney, type MoneyFormat } from '../../core/money/format.ts'
import { beginSentence } from '../../core/sentence/words.ts'
import { unwrap } from '../../ui/problem.ts'
import { State, type StateShape } from '../../ui/State.tsx'
import { api } from '../api.ts'
import { useSession, useStudioToday } from '../session/session.ts'
import { reasonInWords } from './words.ts'

const loadAttention = () => unwrap(api.orders.attention.$get())
type Item = Awaited<ReturnType<typeof loadAttention>>['items'][number]

/** What needs a look in the mode that is looked at; asked for again now and then. */
export function useAttention() {
  const { mode } = useSession()
  return useQuery({ queryKey: ['attention', mode], queryFn: loadAttention, refetchInterval: 60_000 })
}

const KINDS: Record<
  Item['kind'],
  { shape: StateShape; word: string; says: (item: Item, money: MoneyFormat, thisYear: string) => string }
> = {
  disputed: { shape: 'late', word: 'disputed', says: () => 'Your answer is needed.' },
  'paid-twice': {
    shape: 'failed',
    word: 'paid twice',
    says: () => 'Another order had opened it before this money was received. Refund it.',
  },
  'paid-too-late': {
    shape: 'failed',
    word: 'paid too late',
    says: () => 'Access had ended when the money was received. Refund it, or give access by hand.',
  },
  'dispute-lost': {
    shape: 'failed',
    word: 'dispute lost',
    says: () => 'The money went back. Decide whether the course stays open.',
  },
  clock: {
    shape: 'failed',
    word: 'clock is wrong',
    says: ({ why }) =>
      `No payments are being charged in Live because a server’s clock is wrong (${why ?? ''}). Charging resumes once the clock is corrected.`,
  },
  'surplus-transfer': {
    shape: 'failed',
    word: 'transfer not owed',
    says: () =>
      'This transfer was received for an order that is already paid. Return it at your bank, then note it here.',
  },
  surplus: { shape: 'failed', word: 'collected twice', says: () => 'Refund it at the gateway.' },
  mismatch: {
    shape: 'failed',
    word: 'wrong amount',
    says: () => 'The gateway reports a different amount or currency than we asked for. Check its books.',
  },
  'code-over-limit': {
    shape: 'late',
    word: 'code used too often',
    says: ({ why }) =>
      `Its money came after “${why ?? ''}” had been released to other buyers, so the code has been used more often than it allows. Nothing is owed.`,
  },
  'unknown-payment': {
    shape: 'failed',
    word: 'unknown payment',
    says: ({ why }) => `“${why ?? ''}” was collected, but belongs to no order here. Settle it under Setup, Gateways.`,
  },
  'unreadable-event': {
    shape: 'late',
    word: 'event not understood',
    says: ({ why }) => `${why ?? ''}. Its signature is valid; it is kept under Setup, Gateways.`,
  },
  'refund-refused': { shape: 'failed', word: 'refund refused', says: ({ why }) => why ?? '' },
  stopped: {
    shape: 'failed',
    word: 'stopped, still owed',
    says: ({ why }) =>
      `It is not retried any more: ${reasonInWords(why)}. Retry it now, send a new link, or write it off.`,
  },
  late: {
    shape: 'late',
    word: 'overdue',
    says: ({ why, next }, _money, thisYear) =>
      `${formatReason(why)}; ${next ? `retried on ${formatDayShort(next, thisYear)}` : 'not retried'}. The buyer was told.`,
  },
  transfer: {
    shape: 'awaited',
    word: 'waiting for the transfer',
    says: ({ came = 0 }, money) =>
      came > 0
        ? `${formatMoney(came, money)} received so far; the amount shown is missing. Mark the rest when you receive it.`
        : 'Mark it once it is in your account, or stop waiting.',
  },
  unknown: { shape: 'awaited', word: 'no answer yet', says: () => 'We keep asking the gateway what happened.' },
  'message-failed': {
    shape: 'late',
    word: 'message not sent',
    says: ({ why }) => `${why ?? ''}. We retry for three days; you can send it again.`,
  },
  expiring: {
    shape: 'due',
    word: 'card expires soon',
    says: ({ next }, _money, thisYear) =>
      `It expires before the payment${next ? ` on ${formatDayShort(next, thisYear)}` : ''}. The buyer was asked for a new card.`,
  },
}

function formatReason(why: string | null): string {
  return beginSentence(reasonInWords(why))
}

/** What needs a look, the most pressing first, and what happens by itself. */
export function AttentionList() {
  const { school } = useSession()
  const { data, error } = useAttention()
  if (error) {
    return (
      <p role="alert" className="mt-4 text-failed">
        {error.message}
      </p>
    )
  }
  if (!data) return null
  return (
    <section className="mt-5 border-t border-line pt-3.5">
      <h2 className="text-[17px]">Needs attention</h2>
      {data.items.length === 0 && (
        <p className="mt-1.5 text-ink-2">
          Nothing. Overdue payments, disputes, missing transfers and unsent messages appear here.
        </p>
      )}
      <ul className="mt-1">
        {data.items.map((item) => (
          <Row
            key={`${item.kind} ${item.orderId ?? item.personId} ${item.since}`}
            item={item}
            money={{ ...school, currency: item.currency || school.currency }}
          />
        ))}
      </ul>
    </section>
  )
}

function Row({ item, money }: { item: Item; money: MoneyFormat }) {
  const { shape, word, says } = KINDS[item.kind]
  const thisYear = useStudioToday().slice(0, 4)
  return (
    <li className="border-b border-line">
      <Link
        to={leadsTo(item)}
        className="grid grid-cols-[172px_minmax(0,1fr)_auto] gap-x-3 px-1 py-2 text-[13.5px] no-underline hover:bg-sheet-2"
      >
        <State shape={shape}>{word}</State>
        <span className="truncate">
          {item.buyer && (
            <>
              <b className="font-semibold">{item.buyer}</b>,{' '}
            </>
          )}
          {item.course}
        </span>
        <span className="text-right font-semibold">{item.amount === null ? '' : formatMoney(item.amount, money)}</span>
        <span className="text-[12.5px] text-ink-3">since {formatDayShort(item.since.slice(0, 10), thisYear)}</span>
        <span className="col-span-2 text-[12.5px] text-ink-2">{says(item, money, thisYear)}</span>
      </Link>
    </li>
  )
}

/** Where an item is dealt with, or its payments stand: at its order, its buyer, its gateway, or under Money. */
function leadsTo({ kind, orderId, personId }: Item): string {
  if (kind === 'clock') return '/studio/money'
  if (orderId) return `/studio/orders/${orderId}`
  return personId ? `/studio/people/${personId}` : '/studio/setup/gateways'
}
