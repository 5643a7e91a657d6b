import { useState } from 'react'
import { toast } from 'sonner'
import { Button } from '../../ui/Button.tsx'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { unwrap } from '../../ui/problem.ts'
import { api } from '../api.ts'
import { Chips } from '../sell/Chips.tsx'
import { useSession } from '../session/session.ts'
import { bankCodeIn } from './accountFields.ts'
import type { Gateway } from './gateways.ts'
import { DISPLACING, useConfirmation } from './useConfirmation.tsx'

const BLANK = {
  title: 'Bank transfer',
  description: '',
  instructions: '',
  holder: '',
  iban: '',
  accountNumber: '',
  bankCode: '',
  bankCodeName: '',
  bic: '',
  lines: '',
}
type Written = typeof BLANK
/** For so many days an order waits, where nothing else is written. */
const WAIT_DAYS = 14

type Account = 'iban' | 'other'
const ACCOUNTS = [
  ['iban', 'With an IBAN'],
  ['other', 'Without an IBAN'],
] as const

interface WrittenField {
  name: keyof Written
  label: string
  hint: string
  isLong?: boolean
}

const TEXTS: WrittenField[] = [
  { name: 'title', label: 'What buyers choose', hint: 'At the checkout, among the payment methods.' },
  {
    name: 'description',
    label: 'What they read when they choose it',
    hint: 'For example how long it takes.',
    isLong: true,
  },
  {
    name: 'instructions',
    label: 'What they read after ordering',
    hint: 'Above the bank details, on the page and in the message.',
    isLong: true,
  },
]

/** The fields that identify the account. @param codeName what the bank's code is called there. */
function accountFields(account: Account, codeName: string): WrittenField[] {
  const lines: WrittenField = {
    name: 'lines',
    label: 'Bank and other details',
    hint: 'For example its name and address. You may leave it empty.',
    isLong: true,
  }
  const holder: WrittenField = { name: 'holder', label: 'Account holder', hint: '' }
  if (account === 'iban') {
    return [
      holder,
      { name: 'iban', label: 'IBAN', hint: 'Spaces do not matter.' },
      { name: 'bic', label: 'BIC', hint: 'Needed only from outside the euro area.' },
      lines,
    ]
  }
  return [
    holder,
    { name: 'accountNumber', label: 'Account number', hint: '' },
    { name: 'bankCodeName', label: 'Name of the bank code', hint: 'What it is called in your country.' },
    { name: 'bankCode', label: codeName, hint: 'You may leave it empty.' },
    { name: 'bic', label: 'BIC or other code', hint: 'For transfers from abroad. You may leave it empty.' },
    lines,
  ]
}

/** The texts of what was written before. */
function textsOf(known: (Partial<Written> & { waitDays?: number | undefined }) | null | undefined): Partial<Written> {
  const { waitDays: _days, ...texts } = known ?? {}
  return texts
}

/** What a creator writes for who pays by bank transfer. */
export function TransferForm({ gateway, done }: { gateway: Gateway; done: () => void }) {
  const { school } = useSession()
  const before = gateway.connection?.transfer
  const codeName = bankCodeIn(school.country)
  const [account, setAccount] = useState<Account>((before ? before.iban === '' : codeName !== null) ? 'other' : 'iban')
  const [written, setWritten] = useState<Written>({
    ...BLANK,
    bankCodeName: codeName ?? '',
    ...textsOf(before),
  })
  const [waitDays, setWaitDays] = useState(String(before?.waitDays ?? WAIT_DAYS))
  const { error, isBusy, run, dialog } = useConfirmation(
    DISPLACING,
    (displace) =>
      unwrap(
        api.gateways.transfer.$put({
          json: { ...written, account, waitDays: Number(waitDays.trim() || Number.NaN), displace },
        }),
      ),
    () => {
      toast('Buyers can pay by bank transfer.')
      done()
    },
  )
  return (
    <form
      noValidate
      className="grid max-w-[560px] gap-3"
      onSubmit={(event) => {
        event.preventDefault()
        run(false)
      }}
    >
      <p className="text-[13.5px] text-ink-2">
        The order waits with a reference{account === 'iban' && ', and a QR code for banking apps where euros are paid'}.
        When the money is in your account you mark it at the order, and the course opens.
      </p>
      <Chips label="Your account" value={account} options={ACCOUNTS} onChange={setAccount} />
      {[...TEXTS, ...accountFields(account, written.bankCodeName.trim() || 'Bank code')].map(
        ({ name, label, hint, isLong }) => (
          <Field key={name} label={label} hint={hint} error={error?.at(`/${name}`)}>
            {(wiring) => {
              const control = {
                ...wiring,
                className: BOX_INPUT,
                value: written[name],
                onChange: (event: { target: { value: string } }) =>
                  setWritten({ ...written, [name]: event.target.value }),
              }
              return isLong ? <textarea rows={3} {...control} /> : <input autoComplete="off" {...control} />
            }}
          </Field>
        ),
      )}
      <Field
        label="Days an order waits"
        hint="Then it ends by itself, its codes are free again, and the buyer is told."
        error={error?.at('/waitDays')}
        className="max-w-[220px]"
      >
        {(wiring) => (
          <input
            {...wiring}
            className={BOX_INPUT}
            inputMode="numeric"
            value={waitDays}
            onChange={(event) => setWaitDays(event.target.value)}
          />
        )}
      </Field>
      {error && error.problem.errors.length === 0 && (
        <p role="alert" className="font-medium text-failed">
          {error.message}
        </p>
      )}
      <div className="flex gap-2">
        <Button kind="press" type="submit" disabled={isBusy}>
          {isBusy ? 'Checking…' : gateway.connection ? 'Save it' : 'Offer it'}
        </Button>
        <Button onClick={done}>Cancel</Button>
      </div>
      {dialog}
    </form>
  )
}
