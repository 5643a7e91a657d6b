import { useState } from 'react'
import { toast } from 'sonner'
import type { MoneyFormat } from '../../core/money/format.ts'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { api } from '../api.ts'
import { Select } from '../frame/Select.tsx'
import { ReceivedDialog } from './ReceivedDialog.tsx'

interface PayoutProps {
  gateways: { id: string; name: string }[]
  money: MoneyFormat
  today: string
  onClose: () => void
}

/** Money that a gateway paid out to the school's bank, as the bank statement has it. */
export function PayoutDialog({ gateways, money, today, onClose }: PayoutProps) {
  const [paymentMethod, setPaymentMethod] = useState(gateways[0]?.id ?? '')
  return (
    <ReceivedDialog
      title="Enter a payout"
      text="What a gateway paid to your bank account, as your bank statement shows it."
      action="Enter the payout"
      money={money}
      today={today}
      amount={{ label: 'Amount' }}
      day={{ label: 'Day', hint: 'The day on which it reached the bank.' }}
      noteHint="For example its reference on the statement."
      run={async (received, once) => {
        await once((header) => api.money.payouts.$post({ json: { paymentMethod, ...received }, header }))
        toast('The payout is in the books.')
      }}
      onClose={onClose}
    >
      {({ error }) => (
        <Field label="Paid out by" error={error?.at('/paymentMethod')}>
          {(wiring) => (
            <Select
              wiring={wiring}
              className={BOX_INPUT}
              value={paymentMethod}
              options={gateways.map(({ id, name }) => [id, name])}
              onChange={setPaymentMethod}
            />
          )}
        </Field>
      )}
    </ReceivedDialog>
  )
}
