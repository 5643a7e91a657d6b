import { formatMoney } from '../core/money/format.ts'
import { type Spoken, sayEnrolButton, sayLater, sayShort } from '../core/sentence/sentence.ts'
import { buttonClass } from './Button.tsx'

interface OfferCardProps {
  name: string
  button: string
  /** Null while the price is not written yet. */
  spoken: Spoken | null
  /** What is paid today. */
  today: number
  /** The creator's suggestion among the offers of its course. */
  highlighted: boolean
  /** Where the button leads; null where it is only shown, as in the studio. */
  href: string | null
}

/** The word beside the offer that the creator suggests. */
export function Suggestion() {
  return (
    <span className="ml-2 rounded-full border border-leaf px-1.5 text-[11.5px] font-semibold whitespace-nowrap text-leaf">
      our suggestion
    </span>
  )
}

/** One offer as buyers see it: on the course page, and beside the creator who edits it. */
export function OfferCard({ name, button, spoken, today, highlighted, href }: OfferCardProps) {
  const label = spoken ? sayEnrolButton(spoken, button) : button || 'Enrol'
  const looks = buttonClass('press', 'block w-full text-center')
  return (
    <div
      className={`rounded-lg border bg-sheet ${highlighted ? 'border-leaf' : 'border-line'} px-3.5 py-3 shadow-[0_1px_0_var(--color-line-2)]`}
    >
      <div className="flex items-baseline justify-between gap-3">
        <b className="font-semibold">
          {name || 'Untitled offer'}
          {highlighted && <Suggestion />}
        </b>
        <span className="display text-[17px] font-semibold">
          {!spoken
            ? '–'
            : spoken.terms.kind === 'free'
              ? 'free'
              : spoken.terms.kind === 'openPrice'
                ? sayShort(spoken)
                : formatMoney(today, spoken.money)}
        </span>
      </div>
      <p className="mt-0.5 mb-2.5 text-[13px] text-ink-3">{spoken ? sayLater(spoken) : 'no price yet'}</p>
      {href ? (
        <a href={href} className={looks}>
          {label}
        </a>
      ) : (
        <div className={looks}>{label}</div>
      )}
    </div>
  )
}
