import { CHECKOUT } from '../../core/words/en/checkout.ts'
import { PAYING } from '../../core/words/en/paying.ts'
import { sayWith } from '../../ui/sayWith.ts'
import type { Phase } from './phase.ts'

interface AfterPressProps {
  /** What went wrong, in words; null: nothing. */
  message: string | null
  phase: Phase
  /** Leaves what was begun at a gateway's page, to order it anew. */
  anew: (orderId: string) => void
}

/** What is said above the button of a page that orders, once it was pressed. */
export function AfterPress({ message, phase, anew }: AfterPressProps) {
  return (
    <>
      <div aria-live="assertive">
        {message && <p className="mt-3 rounded-field bg-failed-soft px-3 py-2 font-medium text-failed">{message}</p>}
      </div>
      {phase.kind === 'elsewhere' && (
        <p role="status" className="mt-3 rounded-field bg-late-soft px-3 py-2">
          {sayWith(CHECKOUT.elsewhere, {
            there: (
              <a className="link" href={phase.url}>
                {PAYING.there}
              </a>
            ),
            anew: (
              <button type="button" className="link" onClick={() => anew(phase.orderId)}>
                {CHECKOUT.anew}
              </button>
            ),
          })}
        </p>
      )}
      {phase.kind === 'checking' && (
        <p role="status" className="mt-3 rounded-field bg-sheet-2 px-3 py-2">
          {PAYING.checking}
        </p>
      )}
    </>
  )
}
