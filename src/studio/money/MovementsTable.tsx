import { formatDayShort } from '../../core/calendar/formatDay.ts'
import { formatMoney, type MoneyFormat } from '../../core/money/format.ts'
import { classes } from '../../ui/classes.ts'
import { State, type StateShape } from '../../ui/State.tsx'
import { useStudioToday } from '../session/session.ts'
import type { MovementRow } from './queries.ts'

interface MovementsProps {
  rows: MovementRow[]
  money: MoneyFormat
  chosen: string | null
  choose: (orderId: string) => void
}

const KINDS: Record<MovementRow['kind'], readonly [StateShape, string]> = {
  payment: ['received', 'received'],
  transfer: ['received', 'transfer received'],
  completion: ['received', 'transfer complete'],
  surplus: ['late', 'received, not owed'],
  refund: ['off', 'refunded'],
  dispute: ['failed', 'lost in a dispute'],
  correction: ['off', 'corrected'],
  payout: ['off', 'paid out to the bank'],
}

const COLUMNS = [
  ['Day', false],
  ['Buyer', false],
  ['For', false],
  ['What', false],
  ['Received', true],
  ['Fee', true],
  ['Refunded', true],
  ['VAT', true],
] as const

/** Money that moved, each movement on its own day, with the tax in it. */
export function MovementsTable({ rows, money, chosen, choose }: MovementsProps) {
  const thisYear = useStudioToday().slice(0, 4)
  const head = 'border-b border-line-2 py-1.5 pr-3 text-left text-[12px] font-semibold text-ink-3'
  return (
    <div className="overflow-x-auto">
      <table className="w-full text-[13.5px] [&_td]:border-b [&_td]:border-line [&_td]:py-2 [&_td]:pr-3">
        <thead>
          <tr>
            {COLUMNS.map(([label, isNumber]) => (
              <th key={label} scope="col" className={classes(head, 'first:pl-1.5', isNumber && 'text-right')}>
                {label}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => {
            const { orderId, kind } = row
            const [shape, word] = KINDS[kind]
            const form = { ...money, currency: row.currency }
            const figure = (amount: number) => (amount === 0 ? '–' : formatMoney(amount, form))
            return (
              <tr
                key={`${row.transaction} ${row.lineId}`}
                className={orderId !== null && orderId === chosen ? 'bg-acorn-soft' : 'hover:bg-sheet-2'}
              >
                <td className="pl-1.5 whitespace-nowrap">{formatDayShort(row.day, thisYear)}</td>
                <td>
                  {orderId && (
                    <button
                      type="button"
                      className="link text-left font-normal no-underline hover:underline"
                      onClick={() => choose(orderId)}
                    >
                      {row.buyer}
                    </button>
                  )}
                </td>
                <td>{row.course ?? row.note}</td>
                <td>
                  <State shape={shape}>{word}</State>
                  {row.paidOut !== 0 && <span className="block text-[12px]">{figure(row.paidOut)}</span>}
                </td>
                {[row.received, row.fee, row.givenBack, row.tax].map((amount, index) => (
                  <td key={COLUMNS[index + 4]?.[0]} className="text-right whitespace-nowrap">
                    {figure(amount)}
                  </td>
                ))}
              </tr>
            )
          })}
        </tbody>
      </table>
      {rows.length === 0 && <p className="py-3 text-ink-2">No money moved in this period.</p>}
    </div>
  )
}
