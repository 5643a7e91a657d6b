import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { formatMoney, formatPlain, type MoneyFormat } from '../../core/money/format.ts'
import { formatTitles } from '../../core/sentence/words.ts'
import { Button } from '../../ui/Button.tsx'
import { State, type StateShape } from '../../ui/State.tsx'
import { useOnce } from '../../ui/useOnce.ts'
import { api } from '../api.ts'
import { ReceivedDialog } from '../money/ReceivedDialog.tsx'
import { NoteDialog } from '../people/NoteDialog.tsx'
import type { Order } from './order.ts'

/** Whether the last try of an order was a transfer that was ended. */
export function hadTransfer({ attempts }: Order): boolean {
  const last = attempts.at(-1)
  return last?.adapter === 'transfer' && last.state === 'abandoned'
}

/** What has come for an order by bank transfer, as someone has marked it, and what is awaited. */
export function Transfer({ order, money }: { order: Order; money: MoneyFormat }) {
  const [isMarking, setMarking] = useState(false)
  const [givingBack, setGivingBack] = useState<string | null>(null)
  const [takingBack, setTakingBack] = useState<string | null>(null)
  const { awaited, transfers } = order
  const left = awaited?.transfer ? awaited.amount - awaited.came : 0
  const param = { order: order.id }
  const giveUpOnce = useOnce()
  const waitOnce = useOnce()
  const giveUp = useMutation({
    mutationFn: () =>
      giveUpOnce((header) => api.settling.orders[':order'].transfers['give-up'].$post({ param, header })),
    onSuccess: () => toast('We no longer wait for it. The buyer can order again.'),
  })
  const waitAgain = useMutation({
    mutationFn: () =>
      waitOnce((header) => api.settling.orders[':order'].transfers['wait-again'].$post({ param, header })),
    onSuccess: () => toast('It waits again. Mark the money as received.'),
  })
  return (
    <>
      {awaited && (
        <p className="flex flex-wrap items-baseline gap-x-3 pt-[5px]">
          <State shape="awaited">
            {awaited.transfer ? `waiting for ${formatMoney(left, money)}` : 'on its way from the buyer’s bank'}
          </State>
          {awaited.transfer && (
            <span className="text-[13.5px] text-ink-2">
              reference <span className="font-mono text-[13px] select-all">{awaited.transfer.reference}</span>
            </span>
          )}
        </p>
      )}
      {transfers.map((transfer) => (
        <div key={transfer.id} className="border-b border-line py-2 text-[13.5px]">
          <p className="flex flex-wrap items-baseline justify-between gap-x-4">
            <State shape={markState(transfer, money)[0]}>{markState(transfer, money)[1]}</State>
            <span className={transfer.takenBackAt ? 'line-through' : ''}>{formatMoney(transfer.amount, money)}</span>
          </p>
          <p className="flex flex-wrap gap-x-4 text-[13px] text-ink-2">
            {transfer.note && <span>“{transfer.note}”</span>}
            {transfer.takenBackNote && <span>“{transfer.takenBackNote}”</span>}
            {transfer.isSurplus && !transfer.takenBackAt && !transfer.givenBackOn && (
              <Button kind="link" onClick={() => setGivingBack(transfer.id)}>
                Note that you gave it back…
              </Button>
            )}
            {!transfer.takenBackAt && !transfer.givenBackOn && (
              <Button kind="link" onClick={() => setTakingBack(transfer.id)}>
                Undo…
              </Button>
            )}
          </p>
        </div>
      ))}
      {awaited?.transfer && (
        <p className="mt-2.5 flex flex-wrap items-center gap-3">
          <Button kind="press" onClick={() => setMarking(true)}>
            Mark as received…
          </Button>
          {awaited.came === 0 && (
            <Button kind="link" onClick={() => giveUp.mutate()}>
              Stop waiting
            </Button>
          )}
        </p>
      )}
      {order.state !== 'paid' && !awaited && hadTransfer(order) && (
        <p className="mt-2.5 flex flex-wrap items-baseline gap-x-3">
          <span className="text-ink-2">We no longer wait for it.</span>
          <Button kind="link" onClick={() => waitAgain.mutate()}>
            It came after all: wait for it again
          </Button>
        </p>
      )}
      {order.state === 'paid' && (
        <p className="mt-2.5">
          <Button kind="link" onClick={() => setMarking(true)}>
            Record another transfer…
          </Button>
        </p>
      )}
      {givingBack && (
        <NoteDialog
          title="Returned at your bank"
          text="Young Acorn moves no money here. Note it once you have transferred the money back."
          action="Note it"
          run={async (note, once) => {
            await once((header) =>
              api.settling.orders[':order'].transfers[':id']['given-back'].$post({
                header,
                param: { ...param, id: givingBack },
                json: { note },
              }),
            )
            toast('Noted.')
          }}
          onClose={() => setGivingBack(null)}
        />
      )}
      {isMarking && <MarkDialog order={order} left={left} money={money} onClose={() => setMarking(false)} />}
      {takingBack && (
        <NoteDialog
          title="Undo this mark"
          text="The transfer counts as not received. If the order is no longer fully paid, it waits for the transfer again and access ends."
          action="Undo"
          run={async (note, once) => {
            await once((header) =>
              api.settling.orders[':order'].transfers[':id']['take-back'].$post({
                header,
                param: { ...param, id: takingBack },
                json: { note },
              }),
            )
            toast('Taken back.')
          }}
          onClose={() => setTakingBack(null)}
        />
      )}
    </>
  )
}

/** A mark as shape and word. */
function markState(
  { takenBackAt, givenBackOn, isSurplus, day }: Order['transfers'][number],
  { language }: MoneyFormat,
): readonly [StateShape, string] {
  if (takenBackAt) return ['off', 'undone']
  if (givenBackOn) return ['off', `not owed; returned on ${formatDay(givenBackOn, language)}`]
  return isSurplus
    ? ['late', `not owed, received on ${formatDay(day, language)}; return it`]
    : ['received', `received on ${formatDay(day, language)}`]
}

interface MarkDialogProps {
  order: Order
  left: number
  money: MoneyFormat
  onClose: () => void
}

/** Records a transfer for an order that waits for one, or is paid already. */
function MarkDialog({ order, left, money, onClose }: MarkDialogProps) {
  const isSurplus = order.state === 'paid'
  /** What comes of an amount. */
  const says = (amount: number) => {
    const opensNothing = formatOpensNothing(order)
    if (amount >= left && opensNothing) return opensNothing
    if (amount < left) {
      const missing = formatMoney(left - amount, money)
      return `This is a part. ${missing} is then still missing, and access stays closed.`
    }
    if (amount === left) return PAID_BY_IT
    const over = formatMoney(amount - left, money)
    return `This is ${over} more than was owed. The order is paid and access opens; the rest is noted for you to return.`
  }
  return (
    <ReceivedDialog
      title={`Mark as received for order ${order.number}`}
      action="Mark as received"
      money={money}
      today={order.today}
      amount={{
        label: 'How much was received',
        first: isSurplus ? '' : formatPlain(left, money),
        hint: (amount) => (isSurplus ? NOT_OWED : says(amount || left)),
        notZero: 'Write how much was received; it cannot be 0.',
      }}
      day={{ label: 'On which day' }}
      noteHint="For example who sent it."
      run={async ({ amount, day, note }, once) => {
        const json = { amount, day, note, ...(isSurplus ? { isSurplus } : {}) }
        await once((header) =>
          api.settling.orders[':order'].transfers.$post({ param: { order: order.id }, json, header }),
        )
        const marked = amount < left ? 'Marked. The rest is still missing.' : 'Marked. The order is paid.'
        toast(isSurplus ? 'Noted. Now return it at your bank.' : marked)
      }}
      onClose={onClose}
    />
  )
}

/** What another order of this buyer has opened by now; null where nothing of it is. */
function formatOpensNothing({ lines, openedElsewhere }: Order): string | null {
  const titles = lines.filter(({ id }) => openedElsewhere.includes(id)).map(({ title }) => title)
  if (titles.length === 0) return null
  const all = titles.length === lines.length
  return `Another order of this buyer has opened ${formatTitles(titles)} already. ${all ? 'If you mark this order as received, it gives no access' : 'This order gives no access to it'}; the money stays under Needs attention until you refund it.`
}

const PAID_BY_IT = 'With this the order is paid and access opens.'
const NOT_OWED = 'The order is already paid. This transfer stays under Needs attention until you have returned it.'
