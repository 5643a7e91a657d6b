import type { Cloth } from '../core/content/course.ts'

export type KnotState = 'collected' | 'to-come' | 'awaited' | 'late' | 'given-up'

export interface Knot {
  amount: string
  when: string
  state: KnotState
}

export interface ThreadProps {
  knots: Knot[]
  /** Access beneath the thread. */
  ribbon: { label: string; ends: string | null; cloth: Cloth } | null
}

const WIDTH = 362
const SAID: Record<KnotState, string> = {
  collected: 'collected',
  'to-come': 'to come',
  awaited: 'awaited',
  late: 'late',
  'given-up': 'given up',
}

/** When money comes and when the course is open: knots on a thread, a ribbon beneath, a table behind. */
export function Thread({ knots, ribbon }: ThreadProps) {
  const step = knots.length > 1 ? Math.min(78, (WIDTH - 80) / (knots.length - 1)) : 0
  const place = (index: number) => 14 + index * step
  // Labels of knots that stand close would run into each other.
  const apart = step === 0 ? 1 : Math.ceil(58 / step)
  const isLabelled = (index: number) => index % apart === 0
  const last = place(Math.max(knots.length - 1, 0))
  const clothColour = ribbon ? `var(--color-${ribbon.cloth})` : ''
  return (
    <figure className="m-0">
      <svg
        viewBox={`0 0 ${WIDTH} ${ribbon ? 100 : 62}`}
        className="block w-full"
        aria-hidden="true"
        fontSize="11.5"
        fill="#48534a"
      >
        <path
          d={`M${knots.length > 0 ? last : 14} 32H${WIDTH - 10}`}
          fill="none"
          stroke="#a8b29f"
          strokeWidth="1.2"
          strokeDasharray="1 5"
          strokeLinecap="round"
        />
        {knots.length > 1 && <path d={`M14 32H${last}`} fill="none" stroke="#1a231c" strokeWidth="1.6" />}
        {knots.map((knot, index) => (
          <g key={`${knot.when}-${index}`} transform={`translate(${place(index)} 32)`}>
            <KnotShape state={knot.state} small={step < 20 && knots.length > 1} />
            {isLabelled(index) && (
              <>
                <text x="-8" y="-18" fontWeight="600" fill="#1a231c">
                  {knot.amount}
                </text>
                <text x="-8" y="26">
                  {knot.when}
                </text>
              </>
            )}
          </g>
        ))}
        {ribbon && (
          <g>
            <path d={`M6 74h${WIDTH - 24}l8 7-8 7H6z`} fill={clothColour} />
            <text x="14" y="85" fill="#fcfdf9" fontSize="11" fontWeight="600">
              {ribbon.label}
            </text>
          </g>
        )}
      </svg>
      <table className="sr-only">
        <caption>Payments and access</caption>
        <thead>
          <tr>
            <th>When</th>
            <th>Amount</th>
            <th>State</th>
          </tr>
        </thead>
        <tbody>
          {knots.map((knot, index) => (
            <tr key={`${knot.when}-${index}`}>
              <td>{knot.when}</td>
              <td>{knot.amount}</td>
              <td>{SAID[knot.state]}</td>
            </tr>
          ))}
          {ribbon && (
            <tr>
              <td colSpan={3}>
                {ribbon.label}
                {ribbon.ends ? `, until ${ribbon.ends}` : ''}
              </td>
            </tr>
          )}
        </tbody>
      </table>
    </figure>
  )
}

function KnotShape({ state, small }: { state: KnotState; small: boolean }) {
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
