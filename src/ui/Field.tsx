import { type ReactNode, useId } from 'react'
import { classes } from './classes.ts'

interface FieldProps {
  label: string
  /** What is wrong, in words; said at the field and read out. */
  error?: string | null | undefined
  hint?: ReactNode
  className?: string
  /** Renders the control with the given wiring. */
  children: (wiring: { id: string; 'aria-invalid': boolean; 'aria-describedby': string | undefined }) => ReactNode
}

/** A labelled control with its hint and its error. */
export function Field({ label, error, hint, className, children }: FieldProps) {
  const id = useId()
  const noteId = `${id}-note`
  const note = error || hint
  return (
    <div className={className}>
      <label htmlFor={id} className="block text-[13px] font-semibold">
        {label}
      </label>
      {children({ id, 'aria-invalid': Boolean(error), 'aria-describedby': note ? noteId : undefined })}
      <div
        id={noteId}
        role={error ? 'alert' : undefined}
        className={classes('mt-1 text-[13px] empty:hidden', error ? 'font-medium text-failed' : 'text-ink-3')}
      >
        {note}
      </div>
    </div>
  )
}

/** The looks of a text control: a line to write on. */
export const LINE_INPUT =
  'w-full border-0 border-b-[1.5px] border-ink-3 bg-[linear-gradient(transparent_70%,var(--color-sheet-2)_70%)] px-0.5 py-[7px] text-[15px] aria-invalid:border-failed focus:border-leaf'

/** The looks of a boxed text control, for longer forms. */
export const BOX_INPUT =
  'mt-1 w-full rounded-field border border-line-2 bg-sheet px-2.5 py-[7px] aria-invalid:border-failed'
