import { useState } from 'react'
import { toast } from 'sonner'
import { formatMoney, formatPlain, type MoneyFormat } from '../../core/money/format.ts'
import { readMoney } from '../../core/money/parse.ts'
import { formatList } from '../../core/sentence/words.ts'
import { Button } from '../../ui/Button.tsx'
import { api } from '../api.ts'
import { TextField } from '../frame/TextField.tsx'
import { NoteDialog } from '../people/NoteDialog.tsx'
import { AccessChoice, formatRefundDone } from './AccessChoice.tsx'
import type { Order } from './order.ts'

type Charge = Order['charges'][number]

/** Payments of several things by a gateway that refunds whole payments only, of which nothing was given back yet. */
export function wholePayments(order: Order): Charge[] {
  const whole = order.charges.filter(
    ({ together, gives, given, isDisputed }) => together !== null && gives === 'whole' && given === 0 && !isDisputed,
  )
  return whole.filter(({ id }, index) => whole.findIndex((other) => other.id === id) === index)
}

/** What can be done where a gateway cannot refund one thing of several: all of it, or one by other means. */
export function WholeRefunds({ order, money }: { order: Order; money: MoneyFormat }) {
  const [attemptId, setAttemptId] = useState<string | null>(null)
  const [lineId, setLineId] = useState<string | null>(null)
  return (
    <>
      {wholePayments(order).map((charge) => (
        <Button key={charge.id} kind="link" onClick={() => setAttemptId(charge.id)}>
          Refund all {formatMoney(charge.together ?? 0, money)}…
        </Button>
      ))}
      {order.charges
        .filter(
          ({ together, gives, given, amount, againBy }) =>
            together !== null && gives === 'whole' && given < amount && againBy === null,
        )
        .map(({ id, lineId: of }) => (
          <Button key={`${id} ${of}`} kind="link" onClick={() => setLineId(of)}>
            Record a refund for {titleOf(order, of)}…
          </Button>
        ))}
      {attemptId && (
        <WholeDialog order={order} attemptId={attemptId} money={money} onClose={() => setAttemptId(null)} />
      )}
      {lineId && <OutsideDialog order={order} lineId={lineId} money={money} onClose={() => setLineId(null)} />}
    </>
  )
}

const titleOf = (order: Order, lineId: string) => order.lines.find(({ id }) => id === lineId)?.title ?? ''

interface WholeDialogProps {
  order: Order
  attemptId: string
  money: MoneyFormat
  onClose: () => void
}

function WholeDialog({ order, attemptId, money, onClose }: WholeDialogProps) {
  const charges = order.lines.flatMap((line) =>
    order.charges.filter((charge) => charge.id === attemptId && charge.lineId === line.id),
  )
  const [access, setAccess] = useState<'keep' | 'close' | null>(null)
  const [keep, setKeep] = useState<readonly string[]>([])
  const sum = formatMoney(charges[0]?.together ?? 0, money)
  // Charged again before: its gateway refused the refund that was to follow.
  const before = charges.filter(({ againBy }) => againBy !== null)
  const recharged = before.length > 0 ? before : charges.filter(({ lineId }) => keep.includes(lineId))
  const refunded = charges.filter((charge) => !recharged.includes(charge))
  const isOfRefunded = ({ lineId }: { lineId: string | null }) => refunded.some((charge) => charge.lineId === lineId)
  const isOpen = order.grants.some((grant) => grant.endedAt === null && isOfRefunded(grant))
  return (
    <NoteDialog
      title={`Refund all ${sum}`}
      text={`${charges[0]?.gateway} refunds whole payments only. This one was for ${charges.map(({ lineId }) => `“${titleOf(order, lineId)}”`).join(' and ')}. The buyer is told.${charges.length > 1 && order.chargedAgainTo === null ? ' No payment method is saved, so what they are to keep they can order and pay for again.' : ''}`}
      action={
        recharged.length > 0 && before.length === 0
          ? `Charge ${formatMoney(sumOf(recharged), money)}, then refund ${sum}`
          : `Refund ${sum}`
      }
      run={async (note, once) => {
        const { refunded, waiting, refused } = await once((header) =>
          api.settling.orders[':order'].refunds.whole.$post({
            header,
            param: { order: order.id },
            json: { attemptId, keep: [...keep], access: access as 'keep', note },
          }),
        )
        toast(refused ?? formatRefundDone(refunded, waiting, money))
      }}
      onClose={onClose}
    >
      {({ error, forget }) => (
        <>
          {(order.chargedAgainTo !== null || before.length > 0) && (
            <fieldset>
              <legend className="text-[13px] font-semibold">What is refunded</legend>
              {charges.map(({ lineId, amount }) => (
                <label key={lineId} className="mt-1 flex items-center gap-2">
                  <input
                    type="checkbox"
                    checked={refunded.some((charge) => charge.lineId === lineId)}
                    disabled={before.length > 0}
                    onChange={(event) => {
                      forget()
                      setKeep(event.target.checked ? keep.filter((id) => id !== lineId) : [...keep, lineId])
                    }}
                  />
                  <span className="flex-1">{titleOf(order, lineId)}</span>
                  <span>{formatMoney(amount, money)}</span>
                </label>
              ))}
              <p className="mt-1 text-[13px] text-ink-2">
                {recharged.length === 0
                  ? 'Untick what the buyer keeps: it is charged again.'
                  : `${formatKept(sumOf(recharged), order.chargedAgainTo, before.length > 0, money)} Then all ${sum} is refunded: the buyer gets ${formatMoney(sumOf(refunded), money)} back in the end.`}
              </p>
              {error?.at('/keep') && (
                <p role="alert" className="text-[13px] font-medium text-failed">
                  {error.at('/keep')}
                </p>
              )}
            </fieldset>
          )}
          <AccessChoice
            access={access}
            of={recharged.length > 0 ? formatList(refunded.map(({ lineId }) => titleOf(order, lineId))) : undefined}
            isOpen={isOpen}
            hasLaterPayments={order.agreements.some(
              (agreement) => agreement.state === 'active' && isOfRefunded(agreement),
            )}
            isMissing={error?.at('/access') !== undefined}
            choose={(next) => {
              forget()
              setAccess(next)
            }}
          />
        </>
      )}
    </NoteDialog>
  )
}

const sumOf = (charges: readonly Charge[]) => charges.reduce((sum, { amount }) => sum + amount, 0)

/** What becomes of what the buyer keeps. */
function formatKept(amount: number, to: string | null, isDone: boolean, money: MoneyFormat): string {
  const charged = formatMoney(amount, money)
  if (isDone) return `What the buyer keeps has already been charged again: ${charged}.`
  return `First ${charged} is charged again, to the buyer’s ${to}; if that is declined, nothing is refunded.`
}

interface OutsideDialogProps {
  order: Order
  lineId: string
  money: MoneyFormat
  onClose: () => void
}

function OutsideDialog({ order, lineId, money, onClose }: OutsideDialogProps) {
  const left = order.charges.reduce(
    (sum, charge) => sum + (charge.lineId === lineId ? charge.amount - charge.given : 0),
    0,
  )
  const [typed, setTyped] = useState(formatPlain(left, money))
  const [reference, setReference] = useState('')
  const [access, setAccess] = useState<'keep' | 'close' | null>(null)
  const read = readMoney(typed, money)
  return (
    <NoteDialog
      title={`Record a refund for ${titleOf(order, lineId)}`}
      text="You gave it back yourself, by transfer or otherwise. No gateway is asked. The buyer is told."
      action="Note it"
      run={async (note, once) => {
        const amount = read.ok ? read.amount : Number.NaN
        const json = { lineId, amount, reference, access: access as 'keep', note }
        await once((header) =>
          api.settling.orders[':order'].refunds.outside.$post({ param: { order: order.id }, json, header }),
        )
        toast('Noted.')
      }}
      onClose={onClose}
    >
      {({ error, forget }) => (
        <>
          <TextField
            label="How much"
            error={read.ok ? error?.at('/amount') : read.why}
            inputMode="decimal"
            value={typed}
            onChange={(text) => {
              forget()
              setTyped(text)
            }}
          />
          <TextField
            label="Reference"
            error={error?.at('/reference')}
            hint="What names it there, like “transfer of 3 May”."
            maxLength={100}
            value={reference}
            onChange={(text) => {
              forget()
              setReference(text)
            }}
          />
          <AccessChoice
            access={access}
            isOpen={order.grants.some((grant) => grant.lineId === lineId && grant.endedAt === null)}
            hasLaterPayments={order.agreements.some(
              (agreement) => agreement.lineId === lineId && agreement.state === 'active',
            )}
            isMissing={error?.at('/access') !== undefined}
            choose={(next) => {
              forget()
              setAccess(next)
            }}
          />
        </>
      )}
    </NoteDialog>
  )
}
