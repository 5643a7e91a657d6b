import { formatMoney, type MoneyFormat } from '../../core/money/format.ts'
import { type ReceiptAmounts, type ReceiptEntry, receiptEntries } from '../../core/sentence/receipt.ts'

const LOOK: Record<ReceiptEntry['kind'], string> = {
  thing: '',
  less: 'pl-4 text-ink-2',
  sum: 'pl-4 text-ink-2',
  tax: '',
  paid: 'font-semibold',
  inside: 'text-ink-3',
}

interface Props {
  things: readonly { course: string; offer: string }[]
  amounts: ReceiptAmounts
  money: MoneyFormat
}

/** The lines of a receipt, which a reader can add. */
export function ReceiptLines({ things, amounts, money }: Props) {
  return (
    <dl className="mt-1.5">
      {receiptEntries(things, amounts, money.language).map(({ kind, label, amount }, index) => (
        <div key={index} className={`flex justify-between gap-4 border-b border-line py-2 ${LOOK[kind]}`}>
          <dt className="min-w-0">{label}</dt>
          <dd className="whitespace-nowrap">{formatMoney(amount, money)}</dd>
        </div>
      ))}
    </dl>
  )
}
