import { useRef, useState } from 'react'
import { CODES } from '../../core/words/en/codes.ts'
import { say } from '../../core/words/message.ts'
import type { EnteredCode } from '../../server/client.ts'
import { Button } from '../../ui/Button.tsx'
import { Field, LINE_INPUT } from '../../ui/Field.tsx'

interface CodeFieldProps {
  codes: readonly string[]
  /** What the server said of them; null while it has not. */
  said: readonly EnteredCode[] | null
  /** Why it cannot say. */
  problem: string | undefined
  isBusy: boolean
  /** A line cannot be ordered: codes are not checked meanwhile. */
  isStopped: boolean
  setCodes: (codes: string[]) => void
}

/** Codes: those that were entered, each with what it takes off or why it does not count, and a field for one more. */
export function CodeField({ codes, said, problem, isBusy, isStopped, setCodes }: CodeFieldProps) {
  const [isOpen, setOpen] = useState(false)
  const [typed, setTyped] = useState('')
  const [error, setError] = useState<string | undefined>(undefined)
  const field = useRef<HTMLInputElement>(null)
  const apply = () => {
    const code = typed.trim()
    if (code === '') return setError(CODES.empty)
    setError(undefined)
    setTyped('')
    field.current?.focus()
    setCodes([...codes, code])
  }
  /** Puts a code that does not count back into the field, to be written right. */
  const correct = (index: number) => {
    setTyped(codes[index] ?? '')
    setOpen(true)
    setCodes(codes.filter((_, other) => other !== index))
    requestAnimationFrame(() => field.current?.select())
  }
  return (
    <div className="mt-2.5 text-[14px]">
      <ul aria-live="polite">
        {codes.map((code, index) => {
          const of = said?.[index]
          return (
            <li key={`${index} ${code}`} className="flex flex-wrap items-baseline gap-x-2 py-1">
              <b
                className={`rounded-[4px] border border-dashed px-1.5 font-semibold [overflow-wrap:anywhere] ${of?.counts ? 'border-leaf text-leaf' : 'border-line-2 text-ink-2'}`}
              >
                {of?.code ?? code}
              </b>
              <span className="min-w-0 flex-1 text-ink-2">
                {of?.says ?? problem ?? (isStopped ? '' : CODES.checking)}
              </span>
              {of && !of.counts && (
                <Button kind="link" disabled={isBusy} onClick={() => correct(index)}>
                  {CODES.correct}
                </Button>
              )}
              <Button
                kind="link"
                disabled={isBusy}
                aria-label={say(CODES.remove, { code })}
                onClick={() => setCodes(codes.filter((_, other) => other !== index))}
              >
                {CODES.takeOff}
              </Button>
            </li>
          )
        })}
      </ul>
      {isOpen ? (
        <div className="flex items-end gap-3">
          <Field label={CODES.label} error={error} className="max-w-[240px] flex-1">
            {(wiring) => (
              <input
                {...wiring}
                ref={field}
                autoFocus
                className={LINE_INPUT}
                autoComplete="off"
                autoCapitalize="characters"
                spellCheck={false}
                maxLength={60}
                value={typed}
                onChange={(event) => setTyped(event.target.value)}
                onKeyDown={(event) => {
                  if (event.key === 'Escape') setOpen(false)
                  if (event.key !== 'Enter') return
                  // It applies the code, and does not pay.
                  event.preventDefault()
                  apply()
                }}
              />
            )}
          </Field>
          <Button onClick={apply}>{CODES.apply}</Button>
        </div>
      ) : (
        <Button kind="link" disabled={isBusy} onClick={() => setOpen(true)}>
          {codes.length === 0 ? CODES.have : CODES.another}
        </Button>
      )}
    </div>
  )
}
