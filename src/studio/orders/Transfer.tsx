import { useState } from 'react'
import { toast } from 'sonner'
import { sayDay } from '../../core/calendar/sayDay.ts'
import { formatMoney, formatPlain, type MoneyFormat } from '../../core/money/format.ts'
import { readMoney } from '../../core/money/parse.ts'
import { Button } from '../../ui/Button.tsx'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { unwrap } from '../../ui/problem.ts'
import { State, type StateShape } from '../../ui/State.tsx'
import { useAttempt } from '../../ui/useAttempt.ts'
import { api, queryClient } from '../api.ts'
import { DayField } from '../days/DayField.tsx'
import { Dialog } from '../drafting/Dialog.tsx'
import { NoteDialog } from '../people/NoteDialog.tsx'
import type { Order } from './order.ts'

/** What has come for an order by bank transfer, as someone has marked it, and what is awaited. */
export function Transfer({ order, money }: { order: Order; money: MoneyFormat }) {
  const [isMarking, setMarking] = useState(false)
  const [givingBack, setGivingBack] = useState<string | null>(null)
  const [takingBack, setTakingBack] = useState<string | null>(null)
  const { awaited, transfers } = order
  const left = awaited?.transfer ? awaited.amount - awaited.came : 0
  const param = { order: order.id }
  const giveUp = async () => {
    try {
      await unwrap(api.settling.orders[':order'].transfers['give-up'].$post({ param }))
      toast('It is not waited for any more. The buyer can order again.')
    } finally {
      await queryClient.invalidateQueries()
    }
  }
  return (
    <>
      {awaited && (
        <p className="flex flex-wrap items-baseline gap-x-3 pt-[5px]">
          <State shape="awaited">
            {awaited.transfer ? `${formatMoney(left, money)} awaited` : 'on its way from the buyer’s bank'}
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
                Take it back…
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
            <Button kind="link" onClick={giveUp}>
              Wait no longer
            </Button>
          )}
        </p>
      )}
      {order.state === 'paid' && (
        <p className="mt-2.5">
          <Button kind="link" onClick={() => setMarking(true)}>
            Note another transfer…
          </Button>
        </p>
      )}
      {givingBack && (
        <NoteDialog
          title="Given back at your bank"
          text="Young Acorn moves no money here: note it once you have transferred it back."
          action="Note it"
          run={async (note) => {
            await unwrap(
              api.settling.orders[':order'].transfers[':id']['given-back'].$post({
                param: { ...param, id: givingBack },
                json: { note },
              }),
            )
            toast('Noted.')
            await queryClient.invalidateQueries()
          }}
          onClose={() => setGivingBack(null)}
        />
      )}
      {isMarking && <MarkDialog order={order} left={left} money={money} onClose={() => setMarking(false)} />}
      {takingBack && (
        <NoteDialog
          title="Take it back"
          text="It counts as not received. Where not all of the money is there any more, the order waits again and its course shuts."
          action="Take it back"
          run={async (note) => {
            await unwrap(
              api.settling.orders[':order'].transfers[':id']['take-back'].$post({
                param: { ...param, id: takingBack },
                json: { note },
              }),
            )
            toast('Taken back.')
            await queryClient.invalidateQueries()
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
  if (takenBackAt) return ['off', 'taken back']
  if (givenBackOn) return ['off', `too much; given back on ${sayDay(givenBackOn, language)}`]
  return isSurplus
    ? ['late', `too much, received on ${sayDay(day, language)}; give it back`]
    : ['received', `received on ${sayDay(day, language)}`]
}

interface MarkDialogProps {
  order: Order
  left: number
  money: MoneyFormat
  onClose: () => void
}

/** What came, when, and a note. */
function MarkDialog({ order, left, money, onClose }: MarkDialogProps) {
  const isSurplus = order.state === 'paid'
  const [typed, setTyped] = useState(isSurplus ? '' : formatPlain(left, money))
  const [day, setDay] = useState(order.today)
  const [note, setNote] = useState('')
  const [isPressed, setPressed] = useState(false)
  const { error, isBusy, attempt, forget } = useAttempt()
  const read = readMoney(typed, money)
  const nothing = read.ok && read.amount === 0 ? '0 marks nothing: write how much was received.' : undefined
  const unread = read.ok || (typed === '' && !isPressed) ? undefined : read.why
  const isPart = read.ok && read.amount > 0 && read.amount < left
  const over = read.ok ? Math.max(0, read.amount - left) : 0
  const mark = async () => {
    if (!read.ok || read.amount === 0) return setPressed(true)
    const json = { amount: read.amount, day, note, ...(isSurplus ? { isSurplus } : {}) }
    const isDone = await attempt(() =>
      unwrap(api.settling.orders[':order'].transfers.$post({ param: { order: order.id }, json })),
    )
    if (!isDone) return
    toast(
      isSurplus
        ? 'Noted. Give it back at your bank.'
        : isPart
          ? 'Marked. The rest is awaited.'
          : 'Marked. The order is paid.',
    )
    onClose()
    await queryClient.invalidateQueries()
  }
  return (
    <Dialog title={`Mark as received for order ${order.number}`} onClose={onClose}>
      <form
        noValidate
        className="grid gap-3"
        onSubmit={(event) => {
          event.preventDefault()
          void mark()
        }}
      >
        <Field
          label="How much was received"
          error={unread ?? nothing ?? error?.at('/amount')}
          hint={
            isSurplus
              ? 'The order is paid already: this counts for nothing, and stands under what needs a look until you have given it back.'
              : isPart
                ? `A part; ${formatMoney(left - (read.ok ? read.amount : 0), money)} is then still awaited, and the course stays shut.`
                : over > 0
                  ? `${formatMoney(over, money)} more than is awaited. The order is paid with its price and the course opens; the rest is noted, to be given back.`
                  : 'With this the order is paid and the course opens.'
          }
        >
          {(wiring) => (
            <input
              {...wiring}
              inputMode="decimal"
              className={BOX_INPUT}
              value={typed}
              onChange={(event) => {
                forget()
                setTyped(event.target.value)
              }}
            />
          )}
        </Field>
        <Field label="On which day" error={error?.at('/day')}>
          {(wiring) => (
            <DayField
              wiring={wiring}
              className={BOX_INPUT}
              language={money.language}
              today={order.today}
              value={day}
              onChange={(chosen) => {
                forget()
                setDay(chosen)
              }}
            />
          )}
        </Field>
        <Field label="Note" error={error?.at('/note')} hint="For example who sent it.">
          {(wiring) => (
            <input
              {...wiring}
              className={BOX_INPUT}
              maxLength={300}
              value={note}
              onChange={(event) => setNote(event.target.value)}
            />
          )}
        </Field>
        {error && error.problem.errors.length === 0 && (
          <p role="alert" className="font-medium text-failed">
            {error.message}
          </p>
        )}
        <div className="mt-2 flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button kind="press" type="submit" disabled={isBusy}>
            Mark as received
          </Button>
        </div>
      </form>
    </Dialog>
  )
}
