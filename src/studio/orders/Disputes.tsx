import { useState } from 'react'
import { toast } from 'sonner'
import { formatMoney, type MoneyFormat } from '../../core/money/format.ts'
import { Button } from '../../ui/Button.tsx'
import { formatMoment } from '../../ui/dates.ts'
import { State, type StateShape } from '../../ui/State.tsx'
import { api } from '../api.ts'
import { NoteDialog } from '../people/NoteDialog.tsx'
import { useSession } from '../session/session.ts'
import type { Order } from './order.ts'

type Dispute = Order['disputes'][number]
const STATES: Record<Dispute['state'], readonly [StateShape, string]> = {
  open: ['late', 'disputed, waiting for your answer'],
  contested: ['awaited', 'contested, the gateway decides'],
  won: ['received', 'won, you keep the money'],
  lost: ['failed', 'lost, the money was returned'],
}

/** Payments of an order that its buyer had the bank ask back, and what to answer. */
export function Disputes({ order, money }: { order: Order; money: MoneyFormat }) {
  const { school } = useSession()
  const [asking, setAsking] = useState<{ dispute: Dispute; accept: boolean } | null>(null)
  const [deciding, setDeciding] = useState<{ dispute: Dispute; access: 'keep' | 'close' } | null>(null)
  return (
    <>
      {order.disputes.map((dispute) => {
        const [shape, word] = STATES[dispute.state]
        return (
          <div key={dispute.id} className="border-b border-line py-2 text-[13.5px]">
            <p className="flex flex-wrap items-baseline justify-between gap-x-4">
              <State shape={shape}>{word}</State>
              <span>{formatMoney(dispute.amount, money)}</span>
            </p>
            <p className="text-[13px] text-ink-2">
              {formatMoment(dispute.createdAt, school.timeZone)} · {dispute.reason}
              {dispute.note && ` · “${dispute.note}”`}
            </p>
            {dispute.state === 'open' && (
              <p className="mt-1.5 flex gap-x-4">
                <Button kind="link" onClick={() => setAsking({ dispute, accept: false })}>
                  Contest it…
                </Button>
                <Button kind="link" onClick={() => setAsking({ dispute, accept: true })}>
                  Give it up…
                </Button>
              </p>
            )}
            {dispute.state === 'lost' && !dispute.accessDecidedAt && (
              <p className="mt-1.5 flex flex-wrap gap-x-4">
                <span>Should access stay open?</span>
                <Button kind="link" onClick={() => setDeciding({ dispute, access: 'close' })}>
                  Close it…
                </Button>
                <Button kind="link" onClick={() => setDeciding({ dispute, access: 'keep' })}>
                  Leave it open…
                </Button>
              </p>
            )}
          </div>
        )
      })}
      {deciding && (
        <NoteDialog
          title={deciding.access === 'close' ? 'End access' : 'Keep access open'}
          text={
            deciding.access === 'close'
              ? 'The buyer loses access at once, and nothing more is charged.'
              : 'The buyer keeps access although the money was returned.'
          }
          action={deciding.access === 'close' ? 'End access' : 'Keep access open'}
          run={async (note, once) => {
            const json = { access: deciding.access, note }
            await once((header) =>
              api.settling.disputes[':id'].access.$post({ param: { id: deciding.dispute.id }, json, header }),
            )
            toast('Decided.')
          }}
          onClose={() => setDeciding(null)}
        />
      )}
      {asking && <AnswerDialog {...asking} money={money} onClose={() => setAsking(null)} />}
    </>
  )
}

interface AnswerDialogProps {
  dispute: Dispute
  accept: boolean
  money: MoneyFormat
  onClose: () => void
}

function AnswerDialog({ dispute, accept, money, onClose }: AnswerDialogProps) {
  const [closes, setCloses] = useState(true)
  return (
    <NoteDialog
      title={accept ? `Give ${formatMoney(dispute.amount, money)} up` : `Contest ${formatMoney(dispute.amount, money)}`}
      text={
        accept
          ? 'The money is returned to the buyer at once.'
          : 'We tell the gateway that the payment was right, and the gateway decides. Access stays open meanwhile.'
      }
      action={accept ? 'Accept the dispute' : 'Contest it'}
      run={async (note, once) => {
        const json = { accept, access: accept && closes ? ('close' as const) : ('keep' as const), note }
        await once((header) => api.settling.disputes[':id'].answer.$post({ param: { id: dispute.id }, json, header }))
        toast(accept ? 'Accepted.' : 'Contested.')
      }}
      onClose={onClose}
    >
      {accept && (
        <label className="flex items-center gap-2">
          <input type="checkbox" checked={closes} onChange={(event) => setCloses(event.target.checked)} />
          End access and stop all further payments
        </label>
      )}
    </NoteDialog>
  )
}
