import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { formatMoney, type MoneyFormat } from '../../core/money/format.ts'
import { Button } from '../../ui/Button.tsx'
import { State, type StateShape } from '../../ui/State.tsx'
import { useOnce } from '../../ui/useOnce.ts'
import { api, IN_PLACE } from '../api.ts'
import { LabelledDay } from '../days/LabelledDay.tsx'
import { Dialog } from '../drafting/Dialog.tsx'
import { NoteDialog } from '../people/NoteDialog.tsx'
import type { Order } from './order.ts'
import { reasonInWords } from './words.ts'

type Agreement = Order['agreements'][number]

/** What an agreement stands at, what comes next, and what the creator can do for its buyer. */
export function AgreementPanel({ agreement, money }: { agreement: Agreement; money: MoneyFormat }) {
  const [asking, setAsking] = useState<'cancel' | 'stop' | 'move' | 'write-off' | 'try' | null>(null)
  const { id, state } = agreement
  const isActive = state === 'active'
  const [shape, word] = stateOf(agreement)
  const done = (said: string) => {
    toast(said)
    setAsking(null)
  }
  const resumeOnce = useOnce()
  const sendOnce = useOnce()
  const uncancelOnce = useOnce()
  const resumeRetrying = useMutation({
    mutationFn: () => resumeOnce((header) => api.agreements[':id']['resume-retrying'].$post({ param: { id }, header })),
    onSuccess: () => done('Retries resumed.'),
  })
  const sendLink = useMutation({
    mutationFn: () => sendOnce((header) => api.agreements[':id']['pay-link'].$post({ param: { id }, header })),
    onSuccess: () => done('A new payment link is on its way to the buyer.'),
  })
  const uncancel = useMutation({
    mutationFn: () => uncancelOnce((header) => api.agreements[':id'].uncancel.$post({ param: { id }, header })),
    onSuccess: () => done('No longer cancelled. The buyer is told.'),
  })
  return (
    <div className="pt-[5px]">
      <p className="flex flex-wrap items-baseline gap-x-3">
        <State shape={shape}>{word}</State>
        <span>{saying(agreement, money)}</span>
      </p>
      <p className="mt-2 flex flex-wrap gap-x-4 gap-y-1 text-[13.5px]">
        {isActive && agreement.kind === 'subscription' && (
          <Button kind="link" onClick={() => setAsking('cancel')}>
            Cancel…
          </Button>
        )}
        {isActive && agreement.next && (
          <Button kind="link" onClick={() => setAsking('move')}>
            Move the next due day…
          </Button>
        )}
        {isActive && (
          <Button kind="link" onClick={() => setAsking('stop')}>
            Stop retrying…
          </Button>
        )}
        {agreement.due && agreement.hasMethod && (
          <Button kind="link" onClick={() => setAsking('try')}>
            Try it now…
          </Button>
        )}
        {agreement.isOwed && (
          <Button kind="link" onClick={() => sendLink.mutate()}>
            Send a new link to pay
          </Button>
        )}
        {state === 'stopped' && agreement.owed > 0 && (
          <Button kind="link" onClick={() => setAsking('write-off')}>
            Write it off…
          </Button>
        )}
        {agreement.mayUncancel && (
          <Button kind="link" onClick={() => uncancel.mutate()}>
            Undo the cancellation
          </Button>
        )}
        {agreement.stoppedByHand && (
          <Button kind="link" onClick={() => resumeRetrying.mutate()}>
            Resume retries
          </Button>
        )}
      </p>
      {asking === 'cancel' && <CancelDialog id={id} done={done} onClose={() => setAsking(null)} />}
      {asking === 'stop' && (
        <NoteDialog
          title="Stop retrying"
          text="The payment is not retried any more. With an installment plan the buyer can still pay it themselves. You can resume the retries later."
          action="Stop retrying"
          run={async (note, once) => {
            await once((header) => api.agreements[':id'].stop.$post({ param: { id }, json: { note }, header }))
            done('Stopped.')
          }}
          onClose={() => setAsking(null)}
        />
      )}
      {asking === 'write-off' && (
        <NoteDialog
          title={`Write off ${formatMoney(agreement.owed, money)}`}
          text="This amount is no longer due, and the buyer cannot pay it any more. Access that was paused stays paused. This cannot be undone."
          action="Write it off"
          run={async (note, once) => {
            await once((header) => api.agreements[':id']['write-off'].$post({ param: { id }, json: { note }, header }))
            done('Written off.')
          }}
          onClose={() => setAsking(null)}
        />
      )}
      {asking === 'try' && agreement.due && (
        <TryDialog
          id={id}
          due={agreement.due}
          method={agreement.method}
          money={money}
          onClose={() => setAsking(null)}
        />
      )}
      {asking === 'move' && agreement.next && (
        <MoveDialog agreement={agreement} money={money} done={done} onClose={() => setAsking(null)} />
      )}
    </div>
  )
}

/** One more try by the kept method, outside the series of tries. */
function TryDialog({
  id,
  due,
  method,
  money,
  onClose,
}: {
  id: string
  due: NonNullable<Agreement['due']>
  method: string | null
  money: MoneyFormat
  onClose: () => void
}) {
  const once = useOnce()
  const { mutate, data, error, isPending } = useMutation({
    mutationFn: () => once((header) => api.agreements[':id'].try.$post({ param: { id }, json: due, header })),
    onSuccess: ({ state }) => {
      if (state === 'declined') return
      toast(
        state === 'paid'
          ? `${formatMoney(due.agreed, money)} received.`
          : 'No answer yet. The result appears here as soon as we have it.',
      )
      onClose()
    },
    meta: IN_PLACE,
  })
  const declined = data?.state === 'declined' && reasonInWords(data.reason)
  return (
    <Dialog
      title={`Charge ${formatMoney(due.agreed, money)} now`}
      text={`We charge ${method ?? 'the saved method'} now. The buyer is told if the payment succeeds, and not if it is declined.`}
      onClose={onClose}
    >
      {(declined || error) && (
        <p role="alert" className="mb-3 font-medium text-failed">
          {declined ? `Declined: ${declined}. Nothing was charged.` : error?.message}
        </p>
      )}
      <div className="flex justify-end gap-2">
        <Button onClick={onClose}>{declined ? 'Close' : 'Cancel'}</Button>
        {!declined && (
          <Button kind="press" disabled={isPending} onClick={() => mutate()}>
            Charge it now
          </Button>
        )}
      </div>
    </Dialog>
  )
}

function stateOf({ state, tries, isWrittenOff }: Agreement): readonly [StateShape, string] {
  switch (state) {
    case 'active':
      return tries > 0 ? ['late', 'a payment is overdue'] : ['awaited', 'active']
    case 'completed':
      return ['received', 'completed']
    case 'stopped':
      return ['failed', 'stopped']
    case 'cancelled':
      return ['off', isWrittenOff ? 'written off' : 'cancelled']
  }
}

function saying({ collected, count, next, method, hasMethod, tries }: Agreement, money: MoneyFormat): string {
  const payments = (count ?? collected) === 1 ? 'payment' : 'payments'
  const came = count === null ? `${collected} ${payments} received.` : `${collected} of ${count} ${payments} received.`
  if (!next?.on) return came
  const by = hasMethod ? ` by ${method}` : ', but there is no payment method to charge'
  const again = tries > 0 ? ` Tried ${tries === 1 ? 'once' : `${tries} times`}.` : ''
  return `${came}${again} Next: ${formatMoney(next.pay, money)} ${tries > 0 ? 'retried' : 'charged'} on ${formatDay(next.on, money.language)}${by}.`
}

interface DialogProps {
  done: (said: string) => void
  onClose: () => void
}

function CancelDialog({ id, done, onClose }: DialogProps & { id: string }) {
  const once = useOnce()
  const cancel = useMutation({
    mutationFn: (when: 'now' | 'period-end') =>
      once((header) => api.agreements[':id'].cancel.$post({ param: { id }, json: { when }, header })),
    onSuccess: () => done('Cancelled. The buyer is told.'),
  })
  return (
    <Dialog
      title="Cancel this subscription"
      text="No further payments are charged, and the buyer is told. Cancelled at the end of the period, access stays open for the time that is paid; cancelled now, it ends today. Nothing is refunded by this."
      onClose={onClose}
    >
      <div className="flex flex-wrap justify-end gap-2">
        <Button onClick={onClose}>Keep it</Button>
        <Button kind="danger" onClick={() => cancel.mutate('now')}>
          Cancel and close now
        </Button>
        <Button kind="press" onClick={() => cancel.mutate('period-end')}>
          Cancel at the end of the period
        </Button>
      </div>
    </Dialog>
  )
}

function MoveDialog({ agreement, money, done, onClose }: DialogProps & { agreement: Agreement; money: MoneyFormat }) {
  const { id, next } = agreement
  const [day, setDay] = useState(next?.due ?? '')
  return (
    <NoteDialog
      title={`Move ${formatMoney(next?.pay ?? 0, money)}, due on ${formatDay(next?.due ?? '', money.language)}`}
      text="Only this payment moves; later ones keep their dates. Access stays open until the new date, and the buyer is told."
      action="Move it"
      run={async (note, once) => {
        await once((header) => api.agreements[':id'].move.$post({ param: { id }, json: { day, note }, header }))
        done('Moved.')
      }}
      onClose={onClose}
    >
      {({ error, forget }) => (
        <LabelledDay
          label="New day"
          error={error?.at('/day')}
          language={money.language}
          today={next?.due ?? day}
          value={day}
          onChange={(chosen) => {
            forget()
            setDay(chosen)
          }}
        />
      )}
    </NoteDialog>
  )
}
