import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { sayDayShort } from '../../core/calendar/sayDay.ts'
import { formatMoney, type MoneyFormat } from '../../core/money/format.ts'
import { beginSentence } from '../../core/sentence/words.ts'
import { unwrap } from '../../ui/problem.ts'
import { State, type StateShape } from '../../ui/State.tsx'
import { api } from '../api.ts'
import { useSession } from '../session/session.ts'
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
  { shape: StateShape; word: string; says: (item: Item, money: MoneyFormat) => string }
> = {
  disputed: { shape: 'late', word: 'disputed', says: () => 'Nothing happens before you answer.' },
  'paid-twice': {
    shape: 'failed',
    word: 'paid twice',
    says: () => 'Another order had opened the course. This one opens nothing; refund it.',
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
  'surplus-transfer': {
    shape: 'failed',
    word: 'transfer too much',
    says: () => 'It came for an order that was paid. Give it back at your bank, then note it.',
  },
  surplus: { shape: 'failed', word: 'came once too often', says: () => 'Give it back at the gateway.' },
  mismatch: {
    shape: 'failed',
    word: 'another amount',
    says: () => 'The gateway reports other money than was asked for. Look it up in its books.',
  },
  'unknown-payment': {
    shape: 'failed',
    word: 'unknown payment',
    says: ({ why }) => `“${why ?? ''}” was collected, and no order knows it. Settle it under Setup, Gateways.`,
  },
  'unreadable-event': {
    shape: 'late',
    word: 'event not understood',
    says: ({ why }) => `${why ?? ''}. It is signed, and kept under Setup, Gateways.`,
  },
  'refund-refused': { shape: 'failed', word: 'not given back', says: ({ why }) => why ?? '' },
  stopped: {
    shape: 'failed',
    word: 'stopped, still owed',
    says: ({ why }) => `Nothing more is tried: ${reasonInWords(why)}. Try it now, send a new link, or write it off.`,
  },
  late: {
    shape: 'late',
    word: 'late',
    says: ({ why, next }) =>
      `${sayReason(why)}; ${next ? `tried again on ${sayDayShort(next)}` : 'not tried again'}. The buyer was told.`,
  },
  transfer: {
    shape: 'awaited',
    word: 'transfer awaited',
    says: ({ came = 0 }, money) =>
      came > 0
        ? `${formatMoney(came, money)} was received; so much is missing. Mark the rest when it comes.`
        : 'Mark it when it is in your account, or wait no longer.',
  },
  unknown: { shape: 'awaited', word: 'no answer yet', says: () => 'The gateway is asked until it knows.' },
  'message-failed': {
    shape: 'late',
    word: 'message not sent',
    says: ({ why }) => `${why ?? ''}. It is tried for three days; you can send it again.`,
  },
  expiring: {
    shape: 'due',
    word: 'card ends soon',
    says: ({ next }) =>
      `It ends before the payment${next ? ` on ${sayDayShort(next)}` : ''}. The buyer was asked for another one.`,
  },
}

function sayReason(why: string | null): string {
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
      <h2 className="text-[17px]">Needs a look</h2>
      {data.items.length === 0 && (
        <p className="mt-1.5 text-ink-2">
          Nothing. What is late, disputed, awaited for long or could not be sent stands here.
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
  return (
    <li className="border-b border-line">
      <Link
        to={leadsTo(item)}
        className="grid grid-cols-[150px_minmax(0,1fr)_auto] gap-x-3 px-1 py-2 text-[13.5px] no-underline hover:bg-sheet-2"
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
        <span className="text-[12.5px] text-ink-3">since {sayDayShort(item.since.slice(0, 10))}</span>
        <span className="col-span-2 text-[12.5px] text-ink-2">{says(item, money)}</span>
      </Link>
    </li>
  )
}

/** Where an item is dealt with: at its order, its buyer, or its gateway. */
function leadsTo({ orderId, personId }: Item): string {
  if (orderId) return `/studio/orders/${orderId}`
  return personId ? `/studio/people/${personId}` : '/studio/setup/gateways'
}
