import { formatMoney, type MoneyFormat } from '../../core/money/format.ts'

interface AccessChoiceProps {
  access: 'keep' | 'close' | null
  /** What it is the access to, where that is not plain. */
  of?: string | undefined
  isOpen: boolean
  /** Later payments are still charged for it. */
  hasLaterPayments: boolean
  isMissing: boolean
  choose: (access: 'keep' | 'close') => void
}

/** What becomes of what was paid for, which the creator must say. */
export function AccessChoice({ access, of, isOpen, hasLaterPayments, isMissing, choose }: AccessChoiceProps) {
  return (
    <fieldset>
      <legend className="text-[13px] font-semibold">{of ? `Access to ${of}` : 'Access'}</legend>
      {(
        [
          ['keep', isOpen ? 'The buyer keeps access' : 'Leave it as it is'],
          ['close', hasLaterPayments ? 'End access and stop all further payments' : 'End access'],
        ] as const
      ).map(([value, label]) => (
        <label key={value} className="mt-1 flex items-center gap-2">
          <input type="radio" name="access" checked={access === value} onChange={() => choose(value)} />
          {label}
        </label>
      ))}
      {isMissing && (
        <p role="alert" className="text-[13px] font-medium text-failed">
          Choose what happens to access.
        </p>
      )}
      {hasLaterPayments && access === 'keep' && (
        <p className="mt-1 text-[13px] text-ink-2">The later payments are still charged.</p>
      )}
    </fieldset>
  )
}

/** What became of money that was given back, in words. */
export function formatRefundDone(refunded: number, waiting: number, money: MoneyFormat): string {
  if (waiting === 0) return `${formatMoney(refunded, money)} refunded.`
  return `${formatMoney(waiting, money)} requested. The gateway does not answer at the moment; we ask again.`
}
