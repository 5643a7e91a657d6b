import { formatDayShort } from '../../core/calendar/formatDay.ts'
import { formatMoney, type MoneyFormat } from '../../core/money/format.ts'
import { classes } from '../../ui/classes.ts'
import { State, type StateShape } from '../../ui/State.tsx'
import { useStudioToday } from '../session/session.ts'
import type { Row, Sums } from './queries.ts'

interface PaymentsProps {
  rows: Row[]
  money: MoneyFormat
  chosen: string | null
  choose: (orderId: string) => void
  /** The sums of the whole list, where it may be longer than its rows. */
  total: Pick<Sums, 'payments' | 'expected' | 'paid'> | null
  hasMore: boolean
}

/** Payments by their due day and how each stands, and their sum. */
export function PaymentsTable({ rows, money, chosen, choose, total, hasMore }: PaymentsProps) {
  const thisYear = useStudioToday().slice(0, 4)
  const head = 'border-b border-line-2 py-1.5 pr-3 text-left text-[12px] font-semibold text-ink-3'
  const sum = (pick: (row: Row) => number) => rows.reduce((all, row) => all + pick(row), 0)
  const say = (amount: number) => formatMoney(amount, money)
  const all = total ?? {
    payments: rows.length,
    expected: sum(({ pay }) => pay),
    paid: sum(({ pay, status }) => (status === 'paid' ? pay : 0)),
  }
  return (
    <div className="overflow-x-auto">
      <table className="w-full text-[13.5px] [&_td]:border-b [&_td]:border-line [&_td]:py-2 [&_td]:pr-3">
        <thead>
          <tr>
            {(
              [
                ['Day', false],
                ['Buyer', false],
                ['For', false],
                ['Due', true],
                ['Paid', true],
                ['State', false],
              ] as const
            ).map(([label, isNumber]) => (
              <th key={label} scope="col" className={classes(head, 'first:pl-1.5', isNumber && 'text-right')}>
                {label}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => {
            const [shape, word] = stateOf(row, money, thisYear)
            const form = { ...money, currency: row.currency }
            return (
              <tr key={row.id} className={row.orderId === chosen ? 'bg-acorn-soft' : 'hover:bg-sheet-2'}>
                <td className="pl-1.5 whitespace-nowrap">{formatDayShort(row.due, thisYear)}</td>
                <td>
                  <button
                    type="button"
                    className="link text-left font-normal no-underline hover:underline"
                    onClick={() => choose(row.orderId)}
                  >
                    {row.buyer}
                  </button>
                </td>
                <td>
                  {row.course}
                  {row.of === null ? `, payment ${row.n}` : row.of > 1 && row.n > 0 ? `, ${row.n} of ${row.of}` : ''}
                </td>
                <td className="text-right">{formatMoney(row.pay, form)}</td>
                <td className="text-right">
                  {row.status === 'paid' ? formatMoney(row.pay, form) : '–'}
                  {row.came > 0 && (
                    <span className="block text-[12px] text-ink-3">{formatMoney(row.came, form)} received</span>
                  )}
                  <Taken fee={row.fee} refunded={row.refunded} money={form} />
                </td>
                <td>
                  <State shape={shape}>{word}</State>
                </td>
              </tr>
            )
          })}
          {rows.length > 0 && (
            <tr className="font-semibold">
              <td colSpan={3} className="pl-1.5">
                {all.payments} {all.payments === 1 ? 'payment' : 'payments'}
                {hasMore && <span className="font-normal text-ink-3"> ({rows.length} shown)</span>}
              </td>
              <td className="text-right">{say(all.expected)}</td>
              <td className="text-right">{say(all.paid)}</td>
              <td />
            </tr>
          )}
        </tbody>
      </table>
      {rows.length === 0 && <p className="py-3 text-ink-2">No payment here.</p>}
    </div>
  )
}

/** What the gateway took of it, and what was given back. */
function Taken({ fee, refunded, money }: { fee: number; refunded: number; money: MoneyFormat }) {
  return (
    <span className="block text-[12px] font-normal text-ink-3">
      {fee > 0 && `fee ${formatMoney(fee, money)}`}
      {refunded > 0 && <span className="block text-ink-2">refunded {formatMoney(refunded, money)}</span>}
    </span>
  )
}

function stateOf(
  { status, daysLate, tries, due, nextTry, came, pay, currency, refunded }: Row,
  money: MoneyFormat,
  thisYear: string,
): readonly [StateShape, string] {
  const say = (amount: number) => formatMoney(amount, { ...money, currency })
  const days = `${daysLate} ${daysLate === 1 ? 'day' : 'days'}`
  switch (status) {
    case 'paid':
      if (refunded >= pay) return ['off', 'refunded']
      return ['received', tries > 1 ? `paid at try ${tries}` : 'paid']
    case 'awaited':
      if (came > 0) return ['awaited', `${say(pay - came)} missing, ${days}`]
      return ['awaited', daysLate > 0 ? `waiting for ${days}` : 'waiting']
    case 'late':
      return [
        'late',
        nextTry ? `overdue for ${days}; again ${formatDayShort(nextTry, thisYear)}` : `overdue for ${days}`,
      ]
    case 'given-up':
      return ['failed', daysLate > 0 ? `stopped, owed for ${days}` : 'stopped']
    default:
      return ['due', `due ${formatDayShort(due, thisYear)}`]
  }
}
