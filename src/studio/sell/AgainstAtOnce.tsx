import { useState } from 'react'
import type { Split } from '../../core/content/split.ts'
import { formatMoney, formatRate, type MoneyFormat } from '../../core/money/format.ts'
import { Button } from '../../ui/Button.tsx'
import { SplitHelper } from './SplitHelper.tsx'

interface AgainstAtOnceProps {
  /** What all parts come to, and the same in words; null while a figure is missing. */
  all: { sum: number; says: string } | null
  /** What paying at once comes to, by the course's one-time offer. */
  oneTimeOffer: number | null
  count: number
  money: MoneyFormat
  split: (split: Split) => void
}

/** What installments come to beside paying at once, and a helper that splits another price. */
export function AgainstAtOnce({ all, oneTimeOffer, count, money, split }: AgainstAtOnceProps) {
  const [isSplitting, setSplitting] = useState(false)
  return (
    <>
      <p className="mb-1 border-l-[3px] border-line-2 bg-sheet-2 px-3 py-1.5 text-[13px] text-ink-2">
        {all !== null && `${all.says}${beside(all.sum, oneTimeOffer, money)} `}
        <Button kind="link" aria-expanded={isSplitting} onClick={() => setSplitting(!isSplitting)}>
          {all === null ? 'Split a price…' : 'Split another price…'}
        </Button>
      </p>
      {isSplitting && (
        <SplitHelper
          price={oneTimeOffer ?? all?.sum ?? null}
          count={count}
          money={money}
          choose={(chosen) => {
            split(chosen)
            setSplitting(false)
          }}
        />
      )}
    </>
  )
}

function beside(all: number, oneTimeOffer: number | null, money: MoneyFormat): string {
  if (oneTimeOffer === null) return '; the course has no one-time price to compare with.'
  const difference = all - oneTimeOffer
  if (difference === 0) return ', the same as paying at once.'
  const share =
    oneTimeOffer > 0
      ? ` (${formatRate(Math.round((Math.abs(difference) / oneTimeOffer) * 10_000), money.language)})`
      : ''
  return `, ${formatMoney(Math.abs(difference), money)}${share} ${difference > 0 ? 'more' : 'less'} than paying at once.`
}
