import { PARTS } from '../../core/words/en/page.ts'
import { say } from '../../core/words/message.ts'

/** The seal of a guarantee: a ring of stitches, with its days or a knot inside. What it says stands beside it in words. */
export function Badge({ days, className }: { days: number | null; className?: string }) {
  const [figure = '', word = ''] = days === null ? [] : say(PARTS.badge, { count: days }).split(' ')
  return (
    <svg viewBox="0 0 100 100" aria-hidden="true" className={className}>
      <circle cx="50" cy="50" r="47" className="fill-acorn-soft" />
      <circle
        cx="50"
        cy="50"
        r="41"
        fill="none"
        className="stroke-leaf"
        strokeWidth="3"
        strokeDasharray="8 5.2"
        strokeLinecap="round"
      />
      {days === null ? (
        <path
          d="M34 51l11 11 22-25"
          fill="none"
          className="stroke-leaf"
          strokeWidth="6"
          strokeLinecap="round"
          strokeLinejoin="round"
        />
      ) : (
        <>
          <text x="50" y="55" textAnchor="middle" className="display fill-ink text-[32px] font-bold">
            {figure}
          </text>
          <text x="50" y="71" textAnchor="middle" className="fill-ink text-[13px] font-semibold">
            {word}
          </text>
        </>
      )}
    </svg>
  )
}
