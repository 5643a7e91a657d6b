import { type Day, later } from '../../core/calendar/day.ts'
import { formatMoney, type MoneyFormat } from '../../core/money/format.ts'
import { FiguresTable } from './FiguresTable.tsx'
import type { ListOf } from './lists.ts'
import type { SpanData, Sums } from './queries.ts'
import { addressOf, type DaySpan, formatMonth, spanOfMonth } from './span.ts'

interface MonthTableProps {
  isMoved: boolean
  span: DaySpan
  sums: SpanData
  money: MoneyFormat
  go: (change: Record<string, string | null>) => void
}

type Column = [string, (sums: Sums) => number, ListOf | null]
type Moved = Pick<Sums, 'received' | 'receivedTax' | 'fees' | 'givenBack' | 'givenBackTax'>

/** Each column: its figure, and the list that it is made of; null: all that is due. */
export const MOVED: [string, (sums: Moved) => number, ListOf][] = [
  ['Received', ({ received }) => received, 'received'],
  ['Fees', ({ fees }) => fees, 'received'],
  ['Refunded', ({ givenBack }) => givenBack, 'received'],
  ['Net', ({ received, fees, givenBack }) => received - fees - givenBack, 'received'],
  ['VAT', ({ receivedTax, givenBackTax }) => receivedTax - givenBackTax, 'received'],
]
const DUE: Column[] = [
  ['Due', ({ expected }) => expected, null],
  ['Paid', ({ paid }) => paid, 'paid'],
  ['Waiting', ({ awaited }) => awaited, 'awaited'],
  ['Overdue', ({ late }) => late, 'late'],
  ['Stopped', ({ givenUp }) => givenUp, 'given-up'],
  ['To come', ({ toCome }) => toCome, 'to-come'],
]

/** A span by its months, what moved in them or what is due in them; each figure opens what it is made of, and the last row is their sum. */
export function MonthTable({ isMoved, span, sums: { months, total }, money, go }: MonthTableProps) {
  // A column in which there is nothing says nothing.
  const columns = (isMoved ? (MOVED as Column[]) : DUE).filter(([, of]) => of(total) !== 0)
  const cells = (sums: Sums, of: DaySpan) =>
    columns.map(([label, figure, list]) =>
      figure(sums) === 0 ? (
        '–'
      ) : (
        <button
          key={label}
          type="button"
          className="hover:underline"
          onClick={() => go({ ...addressOf(of), list })}
          aria-label={`${label} ${formatMoney(figure(sums), money)}`}
        >
          {formatMoney(figure(sums), money)}
        </button>
      ),
    )
  return (
    <div className="mb-6">
      <FiguresTable
        caption="By month"
        heads={['Month', ...columns.map(([label]) => label)]}
        rows={months.map(({ month, ...sums }) => {
          const of = within(spanOfMonth(month), span)
          return {
            key: month,
            name: <MonthLink month={month} open={() => go(addressOf(of))} />,
            cells: cells(sums, of),
          }
        })}
        total={cells(total, span)}
      />
    </div>
  )
}

function MonthLink({ month, open }: { month: string; open: () => void }) {
  return (
    <button type="button" className="link text-left whitespace-nowrap" onClick={open}>
      {formatMonth(month)}
    </button>
  )
}

/** The part of a month that lies in a span. */
function within(month: DaySpan, span: DaySpan): DaySpan {
  return { from: later(month.from, span.from), until: [month.until, span.until].sort()[0] as Day }
}
