import { formatMoney, type MoneyFormat } from '../../core/money/format.ts'
import type { ListOf } from './lists.ts'
import type { Sums } from './queries.ts'

interface SpanSumsProps {
  sums: Sums
  money: MoneyFormat
  open: (list: ListOf) => void
}

/** A span in two sentences that never mix: what moved in it, and what is due in it. Each figure opens what it is made of. */
export function SpanSums({ sums, money, open }: SpanSumsProps) {
  const say = (amount: number) => formatMoney(amount, money)
  const part = (amount: number, list: ListOf) => (
    <button
      type="button"
      className="font-bold text-ink underline decoration-line-2 underline-offset-4"
      onClick={() => open(list)}
    >
      {say(amount)}
    </button>
  )
  const { received, fees, givenBack } = sums
  const tax = sums.receivedTax - sums.givenBackTax
  const taken = [fees > 0 && `${say(fees)} of fees`, givenBack > 0 && `${say(givenBack)} refunded`].filter(Boolean)
  const parts: [number, ListOf, string][] = [
    [sums.paid, 'paid', 'is paid'],
    [sums.awaited, 'awaited', 'is on its way'],
    [sums.late, 'late', 'is overdue'],
    [sums.givenUp, 'given-up', 'is owed, not retried'],
    [sums.toCome, 'to-come', 'is still to come'],
  ]
  const there = parts.filter(([amount]) => amount > 0)
  return (
    <>
      <span className="block">
        {received === 0 && taken.length === 0 ? (
          'No money moved in this period.'
        ) : (
          <>
            {part(received, 'received')} received
            {taken.length > 0 && (
              <>
                ; {part(received - fees - givenBack, 'received')} after {taken.join(' and ')}
              </>
            )}
            .{tax !== 0 && ` Includes ${say(tax)} VAT.`}
          </>
        )}
      </span>
      <span className="block">
        {sums.payments === 0 ? (
          'Nothing is due in this period.'
        ) : (
          <>
            Of <b className="text-ink">{say(sums.expected)}</b> due in this period,{' '}
            {there.map(([amount, list, words], index) => (
              <span key={list}>
                {index > 0 && ', '}
                {part(amount, list)} {words}
              </span>
            ))}
            .
          </>
        )}
      </span>
    </>
  )
}
