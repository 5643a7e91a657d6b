import { Temporal } from 'temporal-polyfill'
import { addDays } from '../../core/calendar/day.ts'
import { type DraftSale, type DraftTerms, saleSpanProblem } from '../../core/content/offer.ts'
import type { MoneyFormat } from '../../core/money/format.ts'
import { useStudioToday } from '../session/session.ts'
import { DateField, Pick, TakeOut, TimeField } from './InlineFields.tsx'
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
  const moment = (name: 'from' | 'until', label: string) => {
    const instant = sale[name]
    if (instant === null) return null
    const { day, time } = momentOf(instant, timeZone, name)
    const at = (on: string, clock: string | null) => set({ [name]: instantOf(on, clock, timeZone, name) })
    return (
      <>
        {' '}
        {label}{' '}
        <DateField
          label={`Sale ${name}`}
          value={day}
          problem={name === 'until' ? problem : null}
          onChange={(on) => at(on, time)}
        />
        {time !== null && (
          <>
            {', '}
            <TimeField label={`Sale ${name}, time`} value={time} onChange={(clock) => at(day, clock)} />
            <TakeOut label="Remove the time" onClick={() => at(day, null)} />
          </>
        )}
        <TakeOut label={`Remove “${label}”`} onClick={() => set({ [name]: null })} />
      </>
    )
  }
  const hasTime = (name: 'from' | 'until') =>
    sale[name] !== null && momentOf(sale[name] as string, timeZone, name).time !== null
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
      {moment('until', sale.until !== null && !hasTime('until') ? 'until the end of' : 'until')}
      <span className="text-[13.5px] text-ink-2"> ({timeZone.replaceAll('_', ' ')})</span>
      <TakeOut label="Remove the sale price" onClick={() => onChange(null)} />
      <Additions>
        {sale.from === null && (
          <Add onClick={() => set({ from: instantOf(today, null, timeZone, 'from') })}>Add a start</Add>
        )}
        {sale.until === null && (
          <Add onClick={() => set({ until: instantOf(addDays(today, 7), null, timeZone, 'until') })}>Add an end</Add>
        )}
        {(['from', 'until'] as const).map((name) =>
          sale[name] !== null && !hasTime(name) ? (
            <Add
              key={name}
              onClick={() =>
                set({ [name]: instantOf(momentOf(sale[name] as string, timeZone, name).day, '12:00', timeZone, name) })
              }
            >
              {name === 'from' ? 'Add a start time' : 'Add an end time'}
            </Add>
          ) : null,
        )}
      </Additions>
    </div>
  )
}

/**
 * The day of a moment by a zone's clock, and its time where it is none of a whole day: what begins at midnight begins
 * with its day, and what ends at midnight ends with the day before.
 */
function momentOf(instant: string, timeZone: string, which: 'from' | 'until'): { day: string; time: string | null } {
  const at = Temporal.Instant.from(instant).toZonedDateTimeISO(timeZone)
  const isMidnight = at.hour === 0 && at.minute === 0
  if (!isMidnight)
    return { day: at.toPlainDate().toString(), time: at.toPlainTime().toString({ smallestUnit: 'minute' }) }
  return {
    day: at
      .toPlainDate()
      .subtract({ days: which === 'until' ? 1 : 0 })
      .toString(),
    time: null,
  }
}

/** The moment of a day, and a time of it, by a zone's clock; in the hour that a clock shows twice, the first. */
function instantOf(day: string, time: string | null, timeZone: string, which: 'from' | 'until'): string {
  const date = Temporal.PlainDate.from(day).add({ days: time === null && which === 'until' ? 1 : 0 })
  return date
    .toZonedDateTime({ timeZone, plainTime: time ?? '00:00' })
    .toString({ timeZoneName: 'never', smallestUnit: 'second' })
}
