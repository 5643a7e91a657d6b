import { type Upsell, upsellAfter } from '../../core/content/checkoutPage.ts'

/** Between two places on the path, and from its edge; in SVG units. */
const STEP = 108
const EDGE = 26
/** Room for the last place's name beside it. */
const NAME = 52
const LINE_Y = 58
/** How far an arc leaves the line for each place that it passes by. */
const RISE = 24

interface UpsellPathProps {
  upsells: readonly Upsell[]
  nameOf: (step: Upsell) => string
}

/** The way from the payment to the thanks page: a yes goes above the line, a no below it. */
export function UpsellPath({ upsells, nameOf }: UpsellPathProps) {
  const places = ['Paid', ...upsells.map((_, index) => String(index + 1)), 'Thanks']
  const x = (place: number) => EDGE + place * STEP
  const last = places.length - 1
  const placeOf = (step: Upsell | null) => (step ? upsells.indexOf(step) + 1 : last)
  const ways = upsells.flatMap((step, index) =>
    (['yes', 'no'] as const).map((answer) => ({
      answer,
      from: index + 1,
      to: placeOf(upsellAfter(upsells, step, answer)),
    })),
  )
  const arc = ({ answer, from, to }: (typeof ways)[number]) => {
    const side = answer === 'yes' ? -1 : 1
    const peak = LINE_Y + side * RISE * (1 + 0.45 * (to - from))
    return `M ${x(from)} ${LINE_Y + side * 9} C ${x(from) + 22} ${peak} ${x(to) - 22} ${peak} ${x(to)} ${LINE_Y + side * 9}`
  }
  const words = ways.map(({ answer, from, to }) => {
    const target = to === last ? 'the thanks page' : `upsell ${to}`
    return `Upsell ${from}, ${nameOf(upsells[from - 1] as Upsell)}: ${answer} leads to ${target}.`
  })
  return (
    <svg
      viewBox={`0 0 ${EDGE + last * STEP + NAME} 116`}
      role="img"
      aria-label={words.join(' ')}
      className="mb-3 w-full max-w-[520px] text-[11px]"
    >
      <path d={`M ${x(0)} ${LINE_Y} H ${x(1)}`} stroke="var(--color-ink)" strokeWidth="2" />
      {ways.map((way) => (
        <path
          key={`${way.from} ${way.answer}`}
          d={arc(way)}
          fill="none"
          stroke={way.answer === 'yes' ? 'var(--color-leaf)' : 'var(--color-ink-3)'}
          strokeWidth="1.6"
          strokeDasharray={way.answer === 'no' ? '4 3' : undefined}
        />
      ))}
      {places.map((place, index) => (
        <g key={place}>
          <circle
            cx={x(index)}
            cy={LINE_Y}
            r="9"
            fill={index === 0 ? 'var(--color-ink)' : index === last ? 'var(--color-sheet)' : 'var(--color-acorn)'}
            stroke="var(--color-ink)"
            strokeWidth="2"
          />
          {index > 0 && index < last && (
            <text x={x(index)} y={LINE_Y + 4} textAnchor="middle" fontWeight="700" fill="var(--color-ink)">
              {place}
            </text>
          )}
          {index === 0 && (
            <text x={x(index)} y={LINE_Y + 26} textAnchor="middle" fill="var(--color-ink-2)">
              {place}
            </text>
          )}
          {index === last && (
            <text x={x(index) + 15} y={LINE_Y + 4} fill="var(--color-ink-2)">
              {place}
            </text>
          )}
        </g>
      ))}
      <text x={x(1) - 6} y={LINE_Y - 18} fill="var(--color-leaf)" fontWeight="600" textAnchor="end">
        yes
      </text>
      <text x={x(1) - 6} y={LINE_Y + 26} fill="var(--color-ink-3)" fontWeight="600" textAnchor="end">
        no
      </text>
    </svg>
  )
}
