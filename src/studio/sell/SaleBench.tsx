import { Temporal } from 'temporal-polyfill'
import type { DraftSale, DraftTerms } from '../../core/content/offer.ts'
import type { MoneyFormat } from '../../core/money/format.ts'
import { DateField, Pick, TakeOut } from './InlineFields.tsx'
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
  const moment = (name: 'from' | 'until', label: string) => {
    const instant = sale[name]
    return instant === null ? null : (
      <>
        {' '}
        {label}{' '}
        <DateField
          label={`Sale ${label}`}
          kind="datetime-local"
          value={localOf(instant, timeZone)}
          onChange={(local) => set({ [name]: instantOf(local, timeZone) })}
        />
        <TakeOut label={`Take “${label}” out`} onClick={() => set({ [name]: null })} />
      </>
    )
  }
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
      {moment('from', 'from')}
      {moment('until', 'until')}
      <span className="text-[13.5px] text-ink-2"> ({timeZone.replaceAll('_', ' ')})</span>
      <TakeOut label="Take the sale price out" onClick={() => onChange(null)} />
      <Additions>
        {sale.from === null && <Add onClick={() => set({ from: startOfDay(0, timeZone) })}>Say from when</Add>}
        {sale.until === null && <Add onClick={() => set({ until: startOfDay(8, timeZone) })}>Say until when</Add>}
      </Additions>
    </div>
  )
}

/** The wall clock of a zone at an instant, as a date-and-time field holds it. */
function localOf(instant: string, timeZone: string): string {
  return Temporal.Instant.from(instant)
    .toZonedDateTimeISO(timeZone)
    .toPlainDateTime()
    .toString({ smallestUnit: 'minute' })
}

/** The instant at which a zone's clock shows this; in the hour that a clock shows twice, the first. */
function instantOf(local: string, timeZone: string): string {
  return Temporal.PlainDateTime.from(local)
    .toZonedDateTime(timeZone)
    .toString({ timeZoneName: 'never', smallestUnit: 'second' })
}

function startOfDay(days: number, timeZone: string): string {
  return Temporal.Now.zonedDateTimeISO(timeZone)
    .add({ days })
    .startOfDay()
    .toString({ timeZoneName: 'never', smallestUnit: 'second' })
}
