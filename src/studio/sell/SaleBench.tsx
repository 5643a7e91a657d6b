import { addDays } from '../../core/calendar/day.ts'
import { type DraftSale, type DraftTerms, saleSpanProblem } from '../../core/content/offer.ts'
import type { MoneyFormat } from '../../core/money/format.ts'
import { instantOf } from '../days/instantOf.ts'
import { useStudioToday } from '../session/session.ts'
import { Pick, TakeOut } from './InlineFields.tsx'
import { AddTime, MomentField } from './MomentField.tsx'
import { PriceField } from './PriceField.tsx'
import { Add, Additions } from './TermsBench.tsx'

interface SaleBenchProps {
  sale: DraftSale | null
  terms: DraftTerms
  money: MoneyFormat
  timeZone: string
  onChange: (sale: DraftSale | null) => void
}

/** A lower price for a while, as a sentence; its moments are the school's own. */
export function SaleBench({ sale, terms, money, timeZone, onChange }: SaleBenchProps) {
  const today = useStudioToday()
  if (terms.kind === 'free' || terms.kind === 'openPrice') return null
  if (!sale) {
    return (
      <Additions>
        <Add onClick={() => onChange({ amount: null, from: null, until: null, scope: 'every' })}>Add a sale price</Add>
      </Additions>
    )
  }
  const set = (patch: Partial<DraftSale>) => onChange({ ...sale, ...patch })
  const isTotal = terms.kind === 'installments' && terms.total !== null
  const problem = saleSpanProblem(sale)
  return (
    <div id="offer-sale" className="pb-1 text-[16.5px] leading-[2.1]">
      On sale for{' '}
      <PriceField label="Sale price" amount={sale.amount} money={money} onChange={(amount) => set({ amount })} />
      {isTotal ? (
        ' in all'
      ) : terms.kind === 'single' ? (
        ''
      ) : (
        <>
          {' '}
          for{' '}
          <Pick
            label="Which payments"
            value={sale.scope}
            options={[
              ['every', 'every payment'],
              ['first', 'the first payment'],
            ]}
            onChange={(scope) => set({ scope })}
          />
        </>
      )}
      {(['from', 'until'] as const).map((which) => {
        const instant = sale[which]
        return instant === null ? null : (
          <MomentField
            key={which}
            which={which}
            of="Sale"
            instant={instant}
            timeZone={timeZone}
            problem={which === 'until' ? problem : null}
            onChange={(moment) => set({ [which]: moment })}
          />
        )
      })}
      <span className="text-[13.5px] text-ink-2"> ({timeZone.replaceAll('_', ' ')})</span>
      <TakeOut label="Remove the sale price" onClick={() => onChange(null)} />
      <Additions>
        {sale.from === null && (
          <Add onClick={() => set({ from: instantOf(today, null, timeZone, 'from') })}>Add a start</Add>
        )}
        {sale.until === null && (
          <Add onClick={() => set({ until: instantOf(addDays(today, 7), null, timeZone, 'until') })}>Add an end</Add>
        )}
        {(['from', 'until'] as const).map((which) => (
          <AddTime
            key={which}
            which={which}
            instant={sale[which]}
            timeZone={timeZone}
            onChange={(moment) => set({ [which]: moment })}
          />
        ))}
      </Additions>
    </div>
  )
}
