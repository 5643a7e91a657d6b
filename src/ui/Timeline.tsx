import { addDays, type Day } from '../core/calendar/day.ts'
import { formatDay, formatDayShort } from '../core/calendar/formatDay.ts'
import type { CoverColor } from '../core/content/course.ts'
import { layDays } from './axis.ts'

export type TimelinePointState = 'collected' | 'to-come' | 'awaited' | 'late' | 'given-up'

/** One payment. */
export interface TimelinePoint {
  day: Day
  amount: string
  state: TimelinePointState
}

/** Something else that happens on a day: a trial or a sale ends. */
export interface Mark {
  day: Day
  label: string
}

/** When the course is open. */
export interface Ribbon {
  coverColor: CoverColor
  opens: Day
  /** Null: for good. */
  closes: Day | null
  /** Days of grace: the last before it closes where it goes on with every payment, else after each payment to come. */
  graceDays: number
  /** Goes on with every payment. */
  isExtended: boolean
  label: string
}

export interface TimelineProps {
  /** Where the thread begins: the purchase, as a rule. */
  start: Day
  startLabel: string
  points: TimelinePoint[]
  marks?: Mark[]
  ribbon: Ribbon | null
  /** Payments go on after the last point. */
  endless?: boolean
  language: string
}

const WIDTH = 362
const LEFT = 14
const RIGHT = 330
/** Most payments that are drawn; the table has them all. */
const MAX_POINTS = 24
/** What a label of a day or an amount takes. */
const LABEL = 56
const SAID: Record<TimelinePointState, string> = {
  collected: 'collected',
  'to-come': 'to come',
  awaited: 'awaited',
  late: 'late',
  'given-up': 'not paid',
}

/** When money comes and when the course is open: points on a thread, a ribbon beneath, on one axis of time; a table behind. */
export function Timeline({
  start,
  startLabel,
  points: all,
  marks = [],
  ribbon,
  endless = false,
  language,
}: TimelineProps) {
  const points = all.slice(0, MAX_POINTS)
  const hasGrace = ribbon !== null && ribbon.graceDays > 0
  const graceFrom = hasGrace && ribbon.isExtended && ribbon.closes ? addDays(ribbon.closes, -ribbon.graceDays) : null
  const days = [start, ...points.map(({ day }) => day), ...marks.map(({ day }) => day)]
  if (ribbon) days.push(ribbon.opens)
  if (ribbon?.closes) days.push(ribbon.closes)
  if (graceFrom) days.push(graceFrom)
  const count = new Set(days).size
  const axis = layDays(days, LEFT, RIGHT, Math.min(14, (RIGHT - LEFT) / count))
  const year = start.slice(0, 4)
  const short = (day: Day) =>
    day === start ? startLabel : `${formatDayShort(day)}${day.slice(0, 4) === year ? '' : ` ${day.slice(0, 4)}`}`
  const last = points.at(-1)
  const lastAt = last ? axis.at(last.day) : LEFT
  const rows = rowsOf(marks, axis.at)
  const ribbonAt = 62 + 15 * rows.count
  // Each payment to come has its grace, where the course does not go by what is paid.
  const eachGrace =
    hasGrace && !ribbon.isExtended ? points.filter(({ day }) => day > start).map(({ day }) => axis.at(day)) : []
  const height = ribbon ? ribbonAt + 22 + (graceFrom || eachGrace.length > 0 ? 18 : 0) : 60 + 15 * rows.count
  const small = count > 14
  const labelled = labelledOf(points, axis.at, short)
  // A first payment so close behind the start that both dates would not fit: one is said, unless a mark says it.
  const close = points.find(({ day }) => day > start && axis.at(day) - LEFT < 6.6 * startLabel.length + 4)
  const isMarked = marks.some(({ day }) => day === close?.day)
  return (
    <figure className="m-0">
      <svg
        viewBox={`0 -4 ${WIDTH} ${height + 4}`}
        className="block w-full max-w-[440px]"
        aria-hidden="true"
        fontSize="11.5"
        fill="#48534a"
      >
        <path
          d={`M${lastAt} 32H${WIDTH - 10}`}
          fill="none"
          stroke="#a8b29f"
          strokeWidth="1.2"
          strokeDasharray="1 5"
          strokeLinecap="round"
        />
        {(points.length > 1 || (last && last.day !== start)) && (
          <path d={`M${LEFT} 32H${lastAt}`} fill="none" stroke="#1a231c" strokeWidth="1.6" />
        )}
        {axis.breaks.map((x) => (
          <g key={x}>
            <path d={`M${x - 4} 28h8v8h-8z`} fill="#ebeee4" />
            <path d={`M${x - 4} 37l4-10M${x} 37l4-10`} stroke="#626d63" strokeWidth="1.2" />
          </g>
        ))}
        {!points.some(({ day }) => day === start) && (
          <g transform={`translate(${LEFT} 32)`}>
            <path d="M0-5V5" stroke="#1a231c" strokeWidth="1.6" />
            {(!close || isMarked) && (
              <text x="-8" y="22">
                {startLabel}
              </text>
            )}
          </g>
        )}
        {points.map((point, index) => (
          <g key={`${point.day}-${index}`} transform={`translate(${axis.at(point.day)} 32)`}>
            <KnotShape state={point.state} small={small} />
            {labelled.has(index) && (
              <>
                <text x="-8" y="-16" fontWeight="600" fill="#1a231c">
                  {point.amount}
                </text>
                {!(point === close && isMarked) && (
                  <text x="-8" y="22">
                    {short(point.day)}
                  </text>
                )}
              </>
            )}
          </g>
        ))}
        {marks.map((mark, index) => {
          const x = axis.at(mark.day)
          const y = 54 + 15 * (rows.of[index] ?? 0)
          const isLate = x > WIDTH / 2
          return (
            <g key={`${mark.day}-${mark.label}`}>
              <path d={`M${x} 36V${y + 3}`} stroke="#626d63" strokeWidth="1" strokeDasharray="2 2" />
              <text x={isLate ? x - 5 : x + 5} y={y + 15} textAnchor={isLate ? 'end' : 'start'} fill="#48534a">
                {mark.label} {short(mark.day)}
              </text>
            </g>
          )
        })}
        {ribbon && (
          <RibbonShape
            ribbon={ribbon}
            y={ribbonAt}
            from={axis.at(ribbon.opens)}
            to={ribbon.closes ? axis.at(ribbon.closes) : null}
            grace={graceFrom ? axis.at(graceFrom) : null}
          />
        )}
        {ribbon && eachGrace.length > 0 && (
          <g>
            {eachGrace.map((x) => (
              <path key={x} d={`M${x - 5} ${ribbonAt + 17}v5h10v-5`} fill="none" stroke="#8a5200" strokeWidth="1.5" />
            ))}
            <text
              x={graceLabelAt(eachGrace)}
              y={ribbonAt + 27}
              textAnchor={(eachGrace.at(-1) ?? 0) > WIDTH - 130 ? 'end' : 'start'}
              fill="#8a5200"
              className={
                eachGrace.length > 1 && (eachGrace.at(-1) ?? 0) > WIDTH - 130 && (eachGrace[0] ?? 0) < 130
                  ? 'hidden'
                  : undefined
              }
            >
              {ribbon.graceDays} {ribbon.graceDays === 1 ? 'day' : 'days'} of grace{eachGrace.length > 1 ? ' each' : ''}
            </text>
          </g>
        )}
      </svg>
      <details className="text-[12.5px] text-ink-2">
        <summary className="w-fit cursor-pointer rounded text-ink-3 hover:text-ink">As a table</summary>
        <table className="mt-1 w-full">
          <caption className="sr-only">Payments and access</caption>
          <thead className="sr-only">
            <tr>
              <th scope="col">When</th>
              <th scope="col">What</th>
              <th scope="col">Amount</th>
            </tr>
          </thead>
          <tbody>
            {tableOf(all, marks, ribbon, graceFrom).map(([day, what, amount]) => (
              <tr key={`${day}-${what}`} className="border-b border-line">
                <td className="py-[3px] pr-3 whitespace-nowrap">{formatDay(day, language)}</td>
                <td className="py-[3px] pr-3">{what}</td>
                <td className="py-[3px] text-right">{amount}</td>
              </tr>
            ))}
            {(endless || ribbon?.isExtended || ribbon?.closes === null || eachGrace.length > 0) && (
              <tr>
                <td colSpan={3} className="py-[3px]">
                  {[
                    endless ? 'Payments go on until cancelled.' : '',
                    ribbon?.isExtended ? 'Every payment keeps the course open.' : '',
                    ribbon?.closes === null ? 'Access has no end.' : '',
                    eachGrace.length > 0 ? `If a payment fails, access is paused after ${ribbon?.graceDays} days.` : '',
                  ]
                    .join(' ')
                    .trim()}
                </td>
              </tr>
            )}
          </tbody>
        </table>
      </details>
    </figure>
  )
}

/** Beside the last bracket, or before the first where that has no room. */
function graceLabelAt(brackets: number[]): number {
  const last = brackets.at(-1) ?? 0
  return last > WIDTH - 130 ? (brackets[0] ?? 0) - 10 : last + 11
}

type Row = [day: Day, what: string, amount: string]

/** All that is drawn, as rows in the order of time. */
function tableOf(points: TimelinePoint[], marks: Mark[], ribbon: Ribbon | null, graceFrom: Day | null): Row[] {
  const rows: Row[] = [
    ...points.map(({ day, amount, state }): Row => [day, `payment, ${SAID[state]}`, amount]),
    ...marks.map(({ day, label }): Row => [day, label, '']),
  ]
  if (ribbon) rows.push([ribbon.opens, 'access opens', ''])
  if (graceFrom) rows.push([graceFrom, 'paid until here, then grace', ''])
  if (ribbon?.closes)
    rows.push([ribbon.closes, ribbon.isExtended ? 'access ends unless payments continue' : 'access ends', ''])
  return rows.sort(([a], [b]) => (a < b ? -1 : a > b ? 1 : 0))
}

/** Knots whose labels have room, from the first on. */
function labelledOf(points: TimelinePoint[], at: (day: Day) => number, short: (day: Day) => string): Set<number> {
  const found = new Set<number>()
  let free = Number.NEGATIVE_INFINITY
  for (const [index, { day, amount }] of points.entries()) {
    const x = at(day)
    const width = Math.max(LABEL - 8, 6.6 * Math.max(short(day).length, amount.length) + 8)
    if (x < free || x - 8 + width > WIDTH + 4) continue
    found.add(index)
    free = x + width
  }
  return found
}

/** Each mark's row beneath the thread: labels that would run into each other stand below one another. */
function rowsOf(marks: Mark[], at: (day: Day) => number): { of: number[]; count: number } {
  const of = marks.map((mark, index) =>
    marks.slice(0, index).some((other) => Math.abs(at(other.day) - at(mark.day)) < 150) ? index : 0,
  )
  return { of, count: marks.length === 0 ? 0 : Math.max(...of) + 1 }
}

interface RibbonShapeProps {
  ribbon: Ribbon
  y: number
  from: number
  to: number | null
  grace: number | null
}

function RibbonShape({ ribbon, y, from, to, grace }: RibbonShapeProps) {
  const colour = `var(--color-${ribbon.coverColor})`
  const left = from - 8
  const end = to === null ? WIDTH - 18 : Math.max(to, left + 6)
  const fits = end - left > 6.2 * ribbon.label.length
  // Beside the ribbon, where there is more room.
  const isBehind = ribbon.isExtended || WIDTH - end >= left
  return (
    <g>
      {to !== null && ribbon.isExtended && (
        <path d={`M${end} ${y}H${WIDTH - 18}l8 7-8 7H${end}z`} fill={colour} opacity="0.25" />
      )}
      <path
        d={to === null ? `M${left} ${y}H${end}l8 7-8 7H${left}z` : `M${left} ${y}H${end}v14H${left}z`}
        fill={colour}
      />
      <text
        x={fits ? left + 8 : isBehind ? end + 6 : left - 6}
        textAnchor={fits || isBehind ? 'start' : 'end'}
        y={y + 11}
        fill={fits ? '#fcfdf9' : '#1a231c'}
        fontSize="11"
        fontWeight="600"
      >
        {ribbon.label}
      </text>
      {grace !== null && (
        <g>
          <path
            d={`M${grace} ${y + 17}v5H${Math.max(end, grace + 8)}v-5`}
            fill="none"
            stroke="#8a5200"
            strokeWidth="1.5"
          />
          <text
            x={grace > WIDTH / 2 ? grace - 5 : Math.max(end, grace + 8) + 6}
            textAnchor={grace > WIDTH / 2 ? 'end' : 'start'}
            y={y + 27}
            fill="#8a5200"
          >
            {ribbon.graceDays} {ribbon.graceDays === 1 ? 'day' : 'days'} of grace
          </text>
        </g>
      )}
    </g>
  )
}

function KnotShape({ state, small }: { state: TimelinePointState; small: boolean }) {
  const r = small ? 5 : 8
  switch (state) {
    case 'collected':
      return <circle r={r} fill="#1a231c" />
    case 'to-come':
      return <circle r={r} fill="#fcfdf9" stroke="#1a231c" strokeWidth="1.8" />
    case 'awaited':
      return <circle r={r} fill="#fcfdf9" stroke="#48534a" strokeWidth="1.8" strokeDasharray="3 2.2" />
    case 'late':
      return <path d="M0-10l10 18h-20z" fill="#8a5200" />
    case 'given-up':
      return <path d="M-6-6L6 6M6-6L-6 6" stroke="#9c2b27" strokeWidth="3" />
  }
}
