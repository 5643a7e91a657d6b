import { type ReactNode, useState } from 'react'
import type { MoneyFormat } from '../../core/money/format.ts'
import { readMoney } from '../../core/money/parse.ts'
import type { SendOnce } from '../../ui/useOnce.ts'
import { LabelledDay } from '../days/LabelledDay.tsx'
import { FormDialog, type Refused } from '../drafting/FormDialog.tsx'
import { TextField } from '../frame/TextField.tsx'

/** Money that reached the bank: minor units, the school's day, and a note. */
export interface Received {
  amount: number
  day: string
  note: string
}

interface ReceivedDialogProps {
  title: string
  text?: string
  action: string
  money: MoneyFormat
  today: string
  amount: {
    label: string
    /** What stands there to begin with. */
    first?: string
    /** What comes of the amount; null: it cannot be read. */
    hint?: (amount: number | null) => string
    /** Why an amount of 0 cannot be; left out where the server says so. */
    notZero?: string
  }
  day: { label: string; hint?: string }
  /** What a note is good for. */
  noteHint: string
  run: (received: Received, once: SendOnce) => Promise<unknown>
  onClose: () => void
  /** What else is asked, above. */
  children?: (refused: Refused) => ReactNode
}

/** How much came, when, and a note, as the bank statement has it. */
export function ReceivedDialog(props: ReceivedDialogProps) {
  const { title, text, action, money, today, amount, day: dayField, noteHint, run, onClose, children } = props
  const [typed, setTyped] = useState(amount.first ?? '')
  const [day, setDay] = useState(today)
  const [note, setNote] = useState('')
  const [isPressed, setPressed] = useState(false)
  const read = readMoney(typed, money)
  const zero = read.ok && read.amount === 0 ? amount.notZero : undefined
  const missing = isPressed ? 'Write how much was received.' : undefined
  const unread = typed === '' ? missing : read.ok ? undefined : read.why
  return (
    <FormDialog
      title={title}
      text={text}
      action={action}
      check={() => {
        setPressed(true)
        return read.ok && zero === undefined
      }}
      run={async (once) => {
        if (read.ok) await run({ amount: read.amount, day, note }, once)
      }}
      onClose={onClose}
    >
      {({ error, forget }) => (
        <>
          {children?.({ error, forget })}
          <TextField
            label={amount.label}
            error={unread ?? zero ?? error?.at('/amount')}
            hint={amount.hint?.(read.ok ? read.amount : null)}
            inputMode="decimal"
            value={typed}
            onChange={(written) => {
              forget()
              setTyped(written)
            }}
          />
          <LabelledDay
            label={dayField.label}
            error={error?.at('/day')}
            hint={dayField.hint}
            language={money.language}
            today={today}
            value={day}
            onChange={(chosen) => {
              forget()
              setDay(chosen)
            }}
          />
          <TextField
            label="Note"
            error={error?.at('/note')}
            hint={noteHint}
            maxLength={300}
            value={note}
            onChange={setNote}
          />
        </>
      )}
    </FormDialog>
  )
}
