import { formatRate } from '../../core/money/format.ts'
import { RateField, TakeOut } from './InlineFields.tsx'
import { Add, Additions } from './TermsBench.tsx'

interface TaxBenchProps {
  rate: number | null
  school: { taxMode: 'none' | 'inclusive' | 'exclusive'; taxRate: number; language: string }
  onChange: (rate: number | null) => void
}

/** A tax rate of the offer's own, where it is not the school's. */
export function TaxBench({ rate, school, onChange }: TaxBenchProps) {
  if (school.taxMode === 'none') return null
  if (rate === null) {
    return (
      <Additions>
        <Add
          onClick={() => onChange(school.taxRate)}
        >{`Use another tax rate than ${formatRate(school.taxRate, school.language)}`}</Add>
      </Additions>
    )
  }
  return (
    <p className="text-[16.5px] leading-[2.1]">
      Taxed at <RateField label="Tax rate of this offer, in per cent" rate={rate} onChange={onChange} /> instead of the
      school’s {formatRate(school.taxRate, school.language)},{' '}
      {school.taxMode === 'inclusive' ? 'inside the price' : 'on top of the price'}.
      <TakeOut label="Remove the tax rate" onClick={() => onChange(null)} />
    </p>
  )
}
