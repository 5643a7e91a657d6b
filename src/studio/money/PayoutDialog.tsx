import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import type { MoneyFormat } from '../../core/money/format.ts'
import { readMoney } from '../../core/money/parse.ts'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { useOnce } from '../../ui/useOnce.ts'
import { api, IN_PLACE } from '../api.ts'
import { LabelledDay } from '../days/LabelledDay.tsx'
import { FormDialog } from '../drafting/FormDialog.tsx'
import { Select } from '../frame/Select.tsx'
import { TextField } from '../frame/TextField.tsx'

interface PayoutProps {
  gateways: { id: string; name: string }[]
  money: MoneyFormat
  today: string
  onClose: () => void
}

/** Money that a gateway paid out to the school's bank, as the bank statement has it. */
export function PayoutDialog({ gateways, money, today, onClose }: PayoutProps) {
  const [paymentMethod, setWay] = useState(gateways[0]?.id ?? '')
  const [typed, setTyped] = useState('')
  const [day, setDay] = useState(today)
  const [note, setNote] = useState('')
  const [isPressed, setPressed] = useState(false)
  const read = readMoney(typed, money)
  const once = useOnce()
  const { mutate, error, isPending, reset } = useMutation({
    mutationFn: (amount: number) =>
      once((header) => api.money.payouts.$post({ json: { paymentMethod, amount, day, note }, header })),
    onSuccess: () => {
      toast('The payout is in the books.')
      onClose()
    },
    meta: IN_PLACE,
  })
  const unread = read.ok || (typed === '' && !isPressed) ? undefined : read.why
  const enter = () => {
    setPressed(true)
    if (read.ok) mutate(read.amount)
  }
  return (
    <FormDialog
      title="Enter a payout"
      text="What a gateway paid to your bank account, as your bank statement shows it."
      action="Enter the payout"
      error={error}
      isBusy={isPending}
      act={enter}
      onClose={onClose}
    >
      <Field label="Paid out by" error={error?.at('/paymentMethod')}>
        {(wiring) => (
          <Select
            wiring={wiring}
            className={BOX_INPUT}
            value={paymentMethod}
            options={gateways.map(({ id, name }) => [id, name])}
            onChange={setWay}
          />
        )}
      </Field>
      <TextField
        label="Amount"
        error={unread ?? error?.at('/amount')}
        inputMode="decimal"
        value={typed}
        onChange={(text) => {
          reset()
          setTyped(text)
        }}
      />
      <LabelledDay
        label="Day"
        error={error?.at('/day')}
        hint="The day on which it reached the bank."
        language={money.language}
        today={today}
        value={day}
        onChange={(chosen) => {
          reset()
          setDay(chosen)
        }}
      />
      <TextField
        label="Note"
        error={error?.at('/note')}
        hint="For example its reference on the statement."
        maxLength={300}
        value={note}
        onChange={setNote}
      />
    </FormDialog>
  )
}
