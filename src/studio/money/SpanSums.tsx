import { formatMoney, type MoneyFormat } from '../../core/money/format.ts'
import type { Row, Sums } from './queries.ts'

interface SpanSumsProps {
  sums: Sums
  money: MoneyFormat
  open: (standing: string) => void
}

/** A span in one sentence; its parts add up to what was expected, and each opens what it is made of. */
export function SpanSums({ sums, money, open }: SpanSumsProps) {
  if (sums.payments === 0) return <>Nothing is or was due in these days.</>
  const plain = (amount: number) => <b className="text-ink">{formatMoney(amount, money)}</b>
  const part = (amount: number, standing: Row['standing']) => (
    <button
      type="button"
      className="font-bold text-ink underline decoration-line-2 underline-offset-4"
      onClick={() => open(standing)}
    >
      {formatMoney(amount, money)}
    </button>
  )
  const taken = sums.fees + sums.refunds
  return (
    <>
      Of {plain(sums.expected)} expected, {part(sums.received, 'received')} came
      {taken > 0 && (
        <>
          {' '}
          ({part(sums.received - taken, 'received')} after {sums.fees > 0 && <>{part(sums.fees, 'received')} of fees</>}
          {sums.fees > 0 && sums.refunds > 0 && ' and '}
          {sums.refunds > 0 && <>{part(sums.refunds, 'received')} given back</>})
        </>
      )}
      {sums.awaited > 0 && <>, {part(sums.awaited, 'awaited')} is awaited</>}
      {sums.late > 0 && <>, {part(sums.late, 'late')} is late</>}
      {sums.givenUp > 0 && <>, {part(sums.givenUp, 'given-up')} is owed and not tried any more</>}
      {sums.toCome > 0 && <>, {part(sums.toCome, 'to-come')} is still to come</>}.
    </>
  )
}
